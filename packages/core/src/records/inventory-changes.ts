import { limits } from '../limits.js';
import { currentItem } from '../manifest/former-names.js';
import {
  isUnique,
  type InventoryDeclaration,
  type InventoryValue,
  type ItemDeclaration,
  type Manifest,
} from '../manifest/manifest.js';
import { fillIn } from '../manifest/starting-value.js';
import { isId, nearestName } from '../keys/names.js';
import type { JsonObject } from '../json.js';
import type { Alter, Gain, InventoryChange, Lose } from './change.js';
import { checkValue, type SchemaCheck } from '../keys/check-value.js';
import { mergePatch } from './merge-patch.js';
import { problem, type OrProblem } from '../keys/problem.js';
import type { StoredRecord } from './record.js';

/** What an inventory change is judged by. */
export interface InventoryRules {
  readonly manifest: Manifest;
  readonly declaration: InventoryDeclaration;
  readonly check?: SchemaCheck | undefined;
  /** In which inventory of the player a piece lies; undefined if in none. */
  readonly whereIs: (piece: string) => string | undefined;
}

type Outcome = OrProblem<{ readonly value: InventoryValue }>;

/** What an inventory holds after a change. Stacks part and join by themselves: only how many there are is stored. */
export function changeInventory(change: InventoryChange, held: InventoryValue, rules: InventoryRules): Outcome {
  switch (change.op) {
    case 'gain':
      return gain(change, held, rules);
    case 'lose':
      return lose(change, held, rules);
    case 'alter':
      return alter(change, held, rules);
  }
}

/** How many places of an inventory are taken: one by each piece, one by each stack that is begun. */
export function placesTaken({ stacks, pieces }: InventoryValue, { items }: Manifest): number {
  let taken = Object.keys(pieces).length;
  for (const [name, count] of Object.entries(stacks)) {
    const item = items[name];
    taken += Math.ceil(count / (item === undefined || isUnique(item) ? 1 : item.stack));
  }
  return taken;
}

/** The inventory of a player in which a piece lies. */
export function inventoryWith(
  piece: string,
  keys: Iterable<string>,
  stored: (key: string) => StoredRecord | undefined,
): string | undefined {
  for (const key of keys) {
    const held = key.startsWith('inventory/') ? stored(key) : undefined;
    if (held === undefined || held.removed === true || held.misfit === true) continue;
    if (Object.hasOwn((held.value as InventoryValue).pieces, piece)) return key;
  }
  return undefined;
}

/** What does not fit the manifest in an inventory: an item that it does not take, or traits that are not declared so. */
export function inventoryMisfit(
  { stacks, pieces }: InventoryValue,
  { manifest, declaration, check }: Pick<InventoryRules, 'manifest' | 'declaration' | 'check'>,
): { readonly pointer: string; readonly detail: string } | undefined {
  const accepted = acceptedItems({ declaration, manifest });
  const names = [...Object.keys(stacks), ...Object.values(pieces).map(({ item }) => item)];
  for (const name of names) {
    const item = manifest.items[name];
    if (item === undefined) return { pointer: '/stacks', detail: `It holds "${name}", which is not declared.` };
    if (accepted?.includes(name) === false)
      return { pointer: '/stacks', detail: `It holds "${name}", which it does not take.` };
    if (isUnique(item) === Object.hasOwn(stacks, name)) {
      return { pointer: '/stacks', detail: `It holds "${name}" as what it is not: see "unique" in the manifest.` };
    }
  }
  for (const [id, { item, traits }] of Object.entries(pieces)) {
    const declared = manifest.items[item];
    if (declared === undefined || !isUnique(declared)) continue;
    const mismatch = check?.(declared.traits, fillIn(traits, declared.traits));
    if (mismatch !== undefined) {
      return { pointer: `/pieces/${id}/traits${mismatch.pointer}`, detail: mismatch.detail };
    }
  }
  return undefined;
}

function gain(change: Gain, held: InventoryValue, rules: InventoryRules): Outcome {
  const found = findItem(change.item, rules.manifest);
  if ('problem' in found) return found;
  const { name, item } = found;
  const accepted = acceptedItems(rules);
  if (accepted?.includes(name) === false) {
    return problem('item-not-accepted', `${change.key} does not take "${name}": it takes ${accepted.join(', ')}.`);
  }
  const formed = checkForm(change, item, name);
  if (formed !== undefined) return formed;
  let after: InventoryValue;
  if (change.piece === undefined) {
    const count = (held.stacks[name] ?? 0) + (change.count ?? 1);
    if (!Number.isSafeInteger(count)) {
      return problem('number-out-of-range', `So many of "${name}" can't be counted exactly.`);
    }
    after = { ...held, stacks: { ...held.stacks, [name]: count } };
  } else {
    const piece = pieceOf(change, item, rules);
    if ('problem' in piece) return piece;
    after = { ...held, pieces: { ...held.pieces, [change.piece]: { item: name, traits: piece.traits } } };
  }
  const { capacity = limits.inventoryPlaces } = rules.declaration;
  const taken = placesTaken(after, rules.manifest);
  if (taken > capacity && taken > placesTaken(held, rules.manifest)) {
    return problem(
      'inventory-full',
      `${change.key} has ${capacity} places, and this would take ${taken}: lose something first, or gain less.`,
    );
  }
  return { value: after };
}

/** The items that an inventory takes, under their names of now; undefined if it takes all. */
function acceptedItems({
  declaration,
  manifest,
}: Pick<InventoryRules, 'manifest' | 'declaration'>): readonly string[] | undefined {
  return declaration.accepts?.map((one) => currentItem(one, manifest));
}

function pieceOf(
  { piece = '', traits = {} }: Gain,
  item: ItemDeclaration,
  { whereIs, check }: InventoryRules,
): OrProblem<{ readonly traits: JsonObject }> {
  if (!isId(piece)) {
    return problem('item-form', `"${piece}" can't be the id of a piece: 1 to 128 characters without "/".`);
  }
  const where = whereIs(piece);
  if (where !== undefined) {
    return problem(
      'piece-exists',
      `The player has a piece "${piece}" already, in ${where}: ids are unique for each player. To move it, lose it there first.`,
    );
  }
  const schema = isUnique(item) ? item.traits : true;
  return traitsThatFit(
    fillIn({ ...(isUnique(item) ? item.starting : {}), ...traits }, schema) as JsonObject,
    item,
    check,
  );
}

function traitsThatFit(
  traits: JsonObject,
  item: ItemDeclaration,
  check: SchemaCheck | undefined,
): OrProblem<{ readonly traits: JsonObject }> {
  const unfit = checkValue(traits);
  if (unfit !== undefined) return { problem: unfit };
  const mismatch = isUnique(item) ? check?.(item.traits, traits) : undefined;
  if (mismatch === undefined) return { traits };
  return problem('value-invalid', mismatch.detail, { pointer: `/traits${mismatch.pointer}` });
}

function lose(change: Lose, held: InventoryValue, rules: InventoryRules): Outcome {
  const found = findItem(change.item, rules.manifest);
  if ('problem' in found) return found;
  const { name, item } = found;
  const formed = checkForm(change, item, name);
  if (formed !== undefined) return formed;
  if (change.piece !== undefined) {
    const piece = held.pieces[change.piece];
    if (piece?.item !== name) return noPiece(change.key, change.piece, held, name);
    const { [change.piece]: _, ...pieces } = held.pieces;
    return { value: { ...held, pieces } };
  }
  const has = held.stacks[name] ?? 0;
  const left = has - (change.count ?? 1);
  if (left < 0) {
    return problem('too-few', `${change.key} holds ${has} of "${name}": ${change.count ?? 1} can't be lost.`);
  }
  const { [name]: _, ...others } = held.stacks;
  return { value: { ...held, stacks: left === 0 ? others : { ...held.stacks, [name]: left } } };
}

function alter(change: Alter, held: InventoryValue, { manifest, check }: InventoryRules): Outcome {
  const piece = Object.hasOwn(held.pieces, change.piece) ? held.pieces[change.piece] : undefined;
  if (piece === undefined) return noPiece(change.key, change.piece, held);
  const item = manifest.items[piece.item];
  const patch = checkValue(change.traits);
  if (patch !== undefined) return { problem: patch };
  const altered = mergePatch(piece.traits, change.traits) as JsonObject;
  const fitting =
    item === undefined
      ? { traits: altered }
      : traitsThatFit(fillIn(altered, schemaOf(item)) as JsonObject, item, check);
  if ('problem' in fitting) return fitting;
  return {
    value: { ...held, pieces: { ...held.pieces, [change.piece]: { item: piece.item, traits: fitting.traits } } },
  };
}

function schemaOf(item: ItemDeclaration) {
  return isUnique(item) ? item.traits : true;
}

function noPiece(key: string, piece: string, { pieces }: InventoryValue, item?: string) {
  const nearest = nearestName(piece, Object.keys(pieces));
  const which = item === undefined ? 'piece' : `"${item}"`;
  const advice = nearest === undefined || nearest === piece ? '' : `; did you mean "${nearest}"?`;
  return problem('piece-unknown', `${key} holds no ${which} with the id "${piece}"${advice}`, {
    ...(nearest !== undefined && nearest !== piece && { nearest }),
  });
}

function findItem(
  sent: string,
  manifest: Manifest,
): OrProblem<{ readonly name: string; readonly item: ItemDeclaration }> {
  const name = currentItem(sent, manifest);
  const item = Object.hasOwn(manifest.items, name) ? manifest.items[name] : undefined;
  if (item !== undefined) return { name, item };
  const nearest = nearestName(sent, Object.keys(manifest.items));
  return problem(
    'item-not-declared',
    `"${sent}" is not declared under "items"${nearest === undefined ? ': declare it in the manifest.' : `; did you mean "${nearest}"?`}`,
    { ...(nearest !== undefined && { nearest }) },
  );
}

/** A unique item comes as a piece with an id, all others by count. */
function checkForm(change: Gain | Lose, item: ItemDeclaration, name: string) {
  const isPiece = change.piece !== undefined;
  if (isUnique(item)) {
    if (isPiece && change.count === undefined) return undefined;
    return problem('item-form', `"${name}" is unique: say which one with "piece", an id, and leave out "count".`);
  }
  if (!isPiece && !('traits' in change && change.traits !== undefined)) return undefined;
  return problem('item-form', `"${name}" comes in stacks: say how many with "count", without "piece" and "traits".`);
}
