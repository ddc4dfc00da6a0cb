import { readRecords, type Manifest, type Records, type Rules } from '@vekkon/core';

type Read = ReturnType<typeof readRecords>;

const lastRead = new WeakMap<Records, { readonly manifest: Manifest; readonly read: Read }>();

/**
 * A player's records as they are read by the rules: looked at once for as long
 * as they are held and the manifest is the same. Not for records that the
 * same command goes on to change.
 */
export function readHeld(records: Records, rules: Rules): Read {
  const known = lastRead.get(records);
  if (known?.manifest === rules.manifest) return known.read;
  const read = readRecords(records, rules);
  lastRead.set(records, { manifest: rules.manifest, read });
  return read;
}
