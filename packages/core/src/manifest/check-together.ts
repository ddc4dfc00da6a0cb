import { limits } from '../limits.js';
import { nearestName } from '../keys/names.js';
import { inventoryMisfit, placesTaken } from '../records/inventory-changes.js';
import { pointerTokens, valueAt } from '../keys/json-pointer.js';
import { currentItem, currentKey } from './former-names.js';
import {
  isUnique,
  sectionOfKind,
  type InventoryDeclaration,
  type Manifest,
  type Piece,
  type RecordDeclaration,
} from './manifest.js';
import type { Complain } from './mistake.js';
import { checkSchema } from './schema-check.js';
import { fillIn, startingRecordValue } from './starting-value.js';

/**
 * Checks what holds between the declarations of a manifest: each is right by itself.
 *
 * @returns the manifest with starting inventories completed
 */
export function checkTogether(manifest: Manifest, complain: Complain): Manifest {
  for (const [kind, section] of Object.entries(sectionOfKind)) {
    const ofKind = Object.entries(manifest.records).filter(([, declaration]) => declaration.kind === kind);
    checkFormer(section, Object.fromEntries(ofKind.map(([key, one]) => [key.slice(kind.length + 1), one])), complain);
  }
  checkFormer('items', manifest.items, complain);
  checkFormer('tunables', manifest.tunables, complain);
  checkFormer('attributes', manifest.attributes, complain);
  checkCheckpoints(manifest, complain);
  checkAttributes(manifest, complain);
  const records: { [key: string]: RecordDeclaration } = {};
  const pieces = new Map<string, string>();
  for (const [key, declaration] of Object.entries(manifest.records)) {
    records[key] =
      declaration.kind === 'inventory' ? checkInventory(key, declaration, manifest, pieces, complain) : declaration;
  }
  return { ...manifest, records };
}

/** A former name means one thing, which is not declared under it any more: else names would go in circles. */
function checkFormer(
  section: string,
  declared: { readonly [name: string]: { readonly formerly?: readonly string[] } },
  complain: Complain,
): void {
  const meant = new Map<string, string>();
  for (const [name, { formerly = [] }] of Object.entries(declared)) {
    for (const former of formerly) {
      const path = [section, name, 'formerly'];
      if (Object.hasOwn(declared, former)) {
        complain(path, `"${former}" is declared itself: it can't be a former name of "${name}" too.`);
      } else if (meant.has(former)) {
        complain(path, `"${former}" is a former name of "${meant.get(former)}" already: it can mean only one.`);
      }
      meant.set(former, name);
    }
  }
}

function notDeclared(what: string, word: string, known: readonly string[]): string {
  const nearest = nearestName(word, known);
  const advice = nearest === undefined ? `declared are ${known.join(', ') || 'none'}` : `did you mean "${nearest}"?`;
  return `"${word}" is no declared ${what}: ${advice}`;
}

function checkInventory(
  key: string,
  declaration: InventoryDeclaration,
  manifest: Manifest,
  everywhere: Map<string, string>,
  complain: Complain,
): InventoryDeclaration {
  const path = ['inventories', key.slice('inventory/'.length)];
  const items = Object.keys(manifest.items);
  const isDeclared = (item: string) => Object.hasOwn(manifest.items, currentItem(item, manifest));
  for (const [index, item] of (declaration.accepts ?? []).entries()) {
    if (!isDeclared(item)) complain([...path, 'accepts', index], () => notDeclared('item', item, items));
  }
  const unknown = [
    ...Object.keys(declaration.starting.stacks),
    ...Object.values(declaration.starting.pieces).map(({ item }) => item),
  ].filter((item) => !isDeclared(item));
  for (const item of unknown) complain([...path, 'starting'], () => notDeclared('item', item, items));
  if (unknown.length > 0) return declaration;
  const pieces: { [id: string]: Piece } = {};
  for (const [id, { item, traits }] of Object.entries(declaration.starting.pieces)) {
    const where = everywhere.get(id);
    if (where !== undefined) {
      complain([...path, 'starting'], `A piece "${id}" starts in ${where} already: ids are unique for each player.`);
    }
    everywhere.set(id, key);
    const declared = manifest.items[item];
    const whole =
      declared !== undefined && isUnique(declared)
        ? fillIn({ ...declared.starting, ...traits }, declared.traits)
        : traits;
    pieces[id] = { item, traits: whole as Piece['traits'] };
  }
  const starting = { stacks: declaration.starting.stacks, pieces };
  const misfit = inventoryMisfit(starting, { manifest, declaration, check: checkSchema });
  if (misfit !== undefined) complain([...path, 'starting'], `The starting contents do not fit: ${misfit.detail}`);
  const taken = placesTaken(starting, manifest);
  const { capacity = limits.inventoryPlaces } = declaration;
  if (taken > capacity) {
    complain([...path, 'starting'], `The starting contents take ${taken} places, and there are ${capacity}.`);
  }
  return { ...declaration, starting };
}

function checkCheckpoints(manifest: Manifest, complain: Complain): void {
  const { checkpoints, records } = manifest;
  if (checkpoints === undefined) return;
  const keys = Object.keys(records);
  const held = new Set<string>();
  for (const [index, key] of checkpoints.records.entries()) {
    const current = currentKey(key, manifest);
    held.add(current);
    if (!Object.hasOwn(records, current)) {
      complain(['checkpoints', 'records', index], () => notDeclared('record', key, keys));
    }
  }
  const currency = [...held].find((key) => key.startsWith('currency/'));
  const missing = keys.filter((key) => key.startsWith('inventory/') && !held.has(key));
  if (currency !== undefined && missing.length > 0) {
    complain(
      ['checkpoints', 'records'],
      `A checkpoint that holds ${currency} holds the inventories too, or what was bought would stay while the price comes back: add ${missing.join(', ')}.`,
    );
  }
}

function checkAttributes(manifest: Manifest, complain: Complain): void {
  for (const [name, attribute] of Object.entries(manifest.attributes)) {
    if ('type' in attribute) continue;
    const { from, path } = attribute;
    const declaration = manifest.records[currentKey(from, manifest)];
    if (declaration === undefined) {
      complain(['attributes', name, 'from'], () => notDeclared('record', from, Object.keys(manifest.records)));
      continue;
    }
    if (declaration.family !== undefined) {
      complain(['attributes', name, 'from'], `"${from}" is a family: an attribute is read from one record.`);
      continue;
    }
    const tokens = pointerTokens(path);
    if (tokens === undefined || valueAt(startingRecordValue(declaration), tokens) === undefined) {
      complain(
        ['attributes', name],
        `"${path}" leads nowhere in the starting value of ${from}: check the JSON Pointer.`,
      );
    }
  }
}
