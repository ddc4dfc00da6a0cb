import { equalJson, isJsonObject, type Json, type JsonObject } from '../json.js';
import type { InventoryValue } from '../manifest/manifest.js';
import { problem, type OrProblem } from '../keys/problem.js';
import type { Change } from './change.js';
import type { StoredRecord } from './record.js';

/**
 * The changes by which a record comes to hold what a person wrote: whole values
 * under the revision that was read, balances and inventories by how much they
 * move, so that nothing newer is overwritten unseen.
 *
 * @param key    the record's key
 * @param was    what was read; undefined where there is none
 * @param is     what it shall hold; undefined to remove it
 * @param reason what the ledger says of it
 * @returns none where nothing is different; refused for scores, which only results change
 */
export function mendingChanges(
  key: string,
  was: StoredRecord | undefined,
  is: Json | undefined,
  reason: string,
): OrProblem<readonly Change[]> {
  if (is !== undefined && was !== undefined && was.removed !== true && equalJson(was.value, is)) return [];
  switch (key.slice(0, key.indexOf('/'))) {
    case 'currency':
      return balance(key, was, is, reason);
    case 'inventory':
      return inventory(key, was, is);
    case 'score':
      return problem(
        'op-not-for-kind',
        `${key} holds what its results make of it: submit one, or take it off its board.`,
        {
          key,
        },
      );
    default: {
      const ifRevision = was?.revision ?? 0;
      if (is !== undefined) return [{ op: 'put', key, value: is, ifRevision }];
      return was === undefined || was.removed === true ? [] : [{ op: 'remove', key, ifRevision }];
    }
  }
}

function balance(
  key: string,
  was: StoredRecord | undefined,
  is: Json | undefined,
  reason: string,
): OrProblem<Change[]> {
  if (!Number.isSafeInteger(is)) {
    return problem('value-invalid', `A balance is a whole number: ${key} can't be ${JSON.stringify(is ?? null)}.`, {
      key,
    });
  }
  const amount = (is as number) - Number(was?.value ?? 0);
  return [amount > 0 ? { op: 'credit', key, amount, reason } : { op: 'debit', key, amount: -amount, reason }];
}

function inventory(key: string, was: StoredRecord | undefined, is: Json | undefined): OrProblem<Change[]> {
  const none: InventoryValue = { stacks: {}, pieces: {} };
  const held = (was?.value ?? none) as unknown as InventoryValue;
  const wanted = is as unknown as Partial<InventoryValue> | undefined;
  if (!isJsonObject(wanted?.stacks) || !isJsonObject(wanted?.pieces)) {
    const detail = `An inventory has "stacks" (how many of which item) and "pieces": ${key} needs both.`;
    return problem('value-invalid', detail, { key });
  }
  const lost: Change[] = [];
  const gained: Change[] = [];
  for (const item of new Set([...Object.keys(held.stacks), ...Object.keys(wanted.stacks)])) {
    const count = Number(wanted.stacks[item] ?? 0) - (held.stacks[item] ?? 0);
    if (count > 0) gained.push({ op: 'gain', key, item, count });
    if (count < 0) lost.push({ op: 'lose', key, item, count: -count });
    if (Number.isNaN(count)) return problem('value-invalid', `How many of "${item}"? Write a whole number.`, { key });
  }
  for (const piece of new Set([...Object.keys(held.pieces), ...Object.keys(wanted.pieces)])) {
    const [before, after] = [held.pieces[piece], wanted.pieces[piece]];
    if (equalJson(before, after)) continue;
    if (before !== undefined && after !== undefined && before.item === after.item) {
      gained.push({ op: 'alter', key, piece, traits: patchBetween(before.traits, after.traits) });
      continue;
    }
    if (before !== undefined) lost.push({ op: 'lose', key, item: before.item, piece });
    if (after !== undefined) gained.push({ op: 'gain', key, item: after.item, piece, traits: after.traits });
  }
  // First what makes room.
  return [...lost, ...gained];
}

/** The JSON Merge Patch (RFC 7396) that makes one object of another. */
function patchBetween(was: JsonObject, is: JsonObject): JsonObject {
  const patch: { [name: string]: Json } = {};
  for (const name of new Set([...Object.keys(was), ...Object.keys(is)])) {
    const [before, after] = [was[name], is[name]];
    if (equalJson(before, after)) continue;
    patch[name] =
      isJsonObject(before) && isJsonObject(after) ? patchBetween(before, after) : after === undefined ? null : after;
  }
  return patch;
}
