import type { Json } from '../json.js';
import { declaredPart } from '../keys/record-key.js';
import type { StoredRecord } from '../records/record.js';
import type { Rules } from '../records/rules.js';
import type { Manifest } from './manifest.js';
import { keepUnspoken, spokenDeclaration, spokenRecords } from './spoken-names.js';

/** The older manifest version that a sender speaks, as far as their changes are concerned. */
export interface OlderVersion {
  /** Can it read what is stored under a key of now? Whoever can't would overwrite what they never saw. */
  reads(key: string, stored: StoredRecord, rules: Rules): boolean;
  /**
   * What a `put` of a progress record leads to: it replaces only the fields
   * that their version declares.
   *
   * @param sent what was sent, under the names of now
   * @param held what is stored, under the names of now
   */
  completed(key: string, sent: Json, held: Json, rules: Rules): Json;
}

/** What an older version makes of changes. */
export function olderVersion(spoken: Manifest): OlderVersion {
  return {
    reads(key, stored, { manifest, check }) {
      const theirs = spokenRecords(new Map([[key, stored]]), manifest, spoken, check);
      return [...theirs.values()].every(({ misfit }) => misfit !== true);
    },
    completed(key, sent, held, { manifest }) {
      const [now, theirs] = [manifest.records[declaredPart(key)], spokenDeclaration(key, manifest, spoken)];
      if (now?.kind !== 'progress' || theirs?.kind !== 'progress') return sent;
      return keepUnspoken(sent, held, now.schema, theirs.schema);
    },
  };
}
