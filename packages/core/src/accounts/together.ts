import { isJsonArray, isJsonObject, equalJson, type Json } from '../json.js';
import { declarationOf } from '../manifest/declaration-of.js';
import { isProblem } from '../keys/problem.js';
import type { InventoryValue, Manifest, RecordDeclaration, ScoreDeclaration, Together } from '../manifest/manifest.js';
import { startingRecordValue } from '../manifest/starting-value.js';
import type { Records } from '../records/record.js';
import type { ScoreValue } from '../records/score-changes.js';

/** Whose records a player keeps where a device's player meets the player of an account. */
export type Choice = 'account' | 'device' | 'both';

/**
 * What a player has from now on, where the player of a device becomes the
 * player of an account who has something already.
 *
 * @param account what the account's player has, by key
 * @param device  what the device's player has
 * @returns the values that the account's player gets; those that stay as they are are left out
 */
export function together(
  account: Records,
  device: Records,
  choice: Choice,
  manifest: Manifest,
): { readonly [key: string]: Json } {
  if (choice === 'account') return {};
  const values: { [key: string]: Json } = {};
  for (const [key, { value, removed }] of device) {
    const declared = declarationOf(key, manifest);
    if (removed === true || isProblem(declared)) continue;
    const { declaration } = declared;
    const held = account.get(key);
    const here = held === undefined || held.removed === true ? undefined : held.value;
    const wanted = choice === 'device' || here === undefined ? value : bothOf(here, value, declaration);
    if (here === undefined || !equalJson(here, wanted)) values[key] = wanted;
  }
  return values;
}

/** Has a player anything that not everybody begins with? */
export function hasMoreThanStarting(records: Records, manifest: Manifest): boolean {
  return [...records].some(([key, { value, removed }]) => {
    const declared = declarationOf(key, manifest);
    if (removed === true || isProblem(declared)) return false;
    return declared.member !== undefined || !equalJson(value, startingRecordValue(declared.declaration));
  });
}

/** What a record is put together by, where nothing is declared. */
export function usualTogether({ kind }: RecordDeclaration): Together {
  if (kind === 'currency' || kind === 'inventory') return 'sum';
  return kind === 'score' ? 'higher' : 'account';
}

function bothOf(account: Json, device: Json, declaration: RecordDeclaration): Json {
  const rule = declaration.together ?? usualTogether(declaration);
  if (rule === 'account') return account;
  if (rule === 'device') return device;
  const { kind } = declaration;
  if (kind === 'score') return scores(account as ScoreValue, device as ScoreValue, declaration);
  if (kind === 'inventory') return inventories(account as InventoryValue, device as InventoryValue, rule);
  const starting = startingRecordValue(declaration);
  const put = valuesBy(rule, account, device, starting);
  if (kind !== 'currency' || typeof put !== 'number') return put;
  return Math.min(declaration.ceiling, Math.max(declaration.floor, put));
}

/**
 * Numbers by the rule, lists by what stands in either, objects member by
 * member. What everybody begins with is counted once.
 */
function valuesBy(rule: 'higher' | 'sum' | 'union', account: Json, device: Json, starting: Json | undefined): Json {
  if (typeof account === 'number' && typeof device === 'number') {
    if (rule !== 'sum') return Math.max(account, device);
    return account + device - (typeof starting === 'number' ? starting : 0);
  }
  if (isJsonArray(account) && isJsonArray(device)) {
    return [...account, ...device.filter((one) => !account.some((other) => equalJson(one, other)))];
  }
  if (isJsonObject(account) && isJsonObject(device)) {
    const begun = isJsonObject(starting) ? starting : {};
    const names = new Set([...Object.keys(account), ...Object.keys(device)]);
    const put = [...names].map((name): [string, Json] => {
      const [here, there] = [memberOf(account, name), memberOf(device, name)];
      if (here === undefined || here === null) return [name, there ?? null];
      return [name, there === undefined || there === null ? here : valuesBy(rule, here, there, memberOf(begun, name))];
    });
    return Object.fromEntries(put);
  }
  if (typeof account === 'boolean' && typeof device === 'boolean') return account || device;
  return account;
}

function memberOf(value: { readonly [name: string]: Json }, name: string): Json | undefined {
  return Object.hasOwn(value, name) ? value[name] : undefined;
}

function inventories(account: InventoryValue, device: InventoryValue, rule: 'higher' | 'sum' | 'union'): Json {
  const stacks: { [item: string]: number } = { ...account.stacks };
  for (const [item, count] of Object.entries(device.stacks)) {
    const here = stacks[item] ?? 0;
    stacks[item] = rule === 'sum' ? here + count : Math.max(here, count);
  }
  // Of a piece with the same id on both sides the account's stays.
  return { stacks, pieces: { ...device.pieces, ...account.pieces } } as unknown as Json;
}

function scores(account: ScoreValue, device: ScoreValue, { better, entries: most }: ScoreDeclaration): Json {
  const isBetter = (one: number | null, other: number | null) =>
    one !== null && (other === null || (better === 'higher' ? one > other : one < other));
  const best = isBetter(device.best, account.best) ? device : account;
  const latest = (device.latestAt ?? '') > (account.latestAt ?? '') ? device : account;
  const sign = better === 'higher' ? -1 : 1;
  const entries = [...(account.entries ?? []), ...(device.entries ?? [])].sort(
    (one, other) => sign * (one.value - other.value) || (one.at < other.at ? -1 : 1),
  );
  return {
    latest: latest.latest,
    latestAt: latest.latestAt,
    best: best.best,
    bestAt: best.bestAt,
    sum: account.sum + device.sum,
    count: account.count + device.count,
    ...(most !== undefined && { entries: entries.slice(0, most) }),
  } as unknown as Json;
}
