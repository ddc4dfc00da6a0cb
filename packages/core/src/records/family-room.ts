import { problem, type ChangeProblem } from '../keys/problem.js';
import type { DeclaredKey } from '../manifest/declaration-of.js';
import type { StoredRecord } from './record.js';

/** A family that is full takes no further member. */
export function checkFamilyRoom(
  { declared, declaration }: DeclaredKey,
  keys: Iterable<string>,
  stored: (key: string) => StoredRecord | undefined,
): ChangeProblem | undefined {
  const { family } = declaration;
  if (family === undefined) return undefined;
  let members = 0;
  for (const key of keys) if (key.startsWith(`${declared}/`) && stored(key)?.removed !== true) members++;
  if (members < family.atMost) return undefined;
  return problem(
    'family-full',
    `The player holds ${members} of ${declared} already, and the manifest allows ${family.atMost}: remove one first.`,
  ).problem;
}
