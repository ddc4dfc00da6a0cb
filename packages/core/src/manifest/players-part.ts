import { currentKey } from './former-names.js';
import type { Manifest } from './manifest.js';
import { declaredPart, markOf } from '../keys/record-key.js';

/** May the player's own device see what is stored under a key? */
export function isForPlayers(key: string, manifest: Manifest): boolean {
  const declaration = manifest.records[declaredPart(key)];
  return declaration !== undefined && declaration.player !== 'none';
}

/** What of a manifest a player's own device is told: not the records that it may not see. */
export function playersPart(manifest: Manifest): Manifest {
  const records = Object.fromEntries(Object.entries(manifest.records).filter(([, { player }]) => player !== 'none'));
  const isTold = (key: string) => Object.hasOwn(records, currentKey(key, manifest));
  const hidden = Object.keys(manifest.records).filter((key) => !Object.hasOwn(records, key));
  const notForPlayers = hidden.map((key) => markOf(key));
  const { checkpoints } = manifest;
  return {
    ...manifest,
    records,
    attributes: Object.fromEntries(
      Object.entries(manifest.attributes).filter(([, one]) => 'type' in one || isTold(one.from)),
    ),
    ...(notForPlayers.length > 0 && { notForPlayers }),
    ...(checkpoints !== undefined && { checkpoints: { ...checkpoints, records: checkpoints.records.filter(isTold) } }),
  };
}
