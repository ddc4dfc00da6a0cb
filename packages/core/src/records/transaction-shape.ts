import { isJsonObject, type Json } from '../json.js';
import { limits } from '../limits.js';
import { isId } from '../keys/names.js';
import type { Op, Transaction } from './change.js';
import { checkValue, utf8Bytes } from '../keys/check-value.js';
import { escapePointerToken } from '../keys/json-pointer.js';
import type { ChangeProblem } from '../keys/problem.js';

/** What a member of a change or a transaction may hold, and how that is said where it does not. */
export interface Member {
  readonly words: string;
  readonly fits: (value: unknown) => boolean;
  readonly mayBeLeftOut?: boolean;
}

const text = (most: number, least = 1): Omit<Member, 'mayBeLeftOut'> => ({
  words: `must be text of ${least} to ${most} characters`,
  fits: (value) => typeof value === 'string' && value.length >= least && value.length <= most,
});
const wholeFrom = (least: number): Omit<Member, 'mayBeLeftOut'> => ({
  words: `must be a whole number from ${least} to 2⁵³−1`,
  fits: (value) => Number.isSafeInteger(value) && (value as number) >= least,
});
const oneOf = (...choices: readonly string[]): Member => ({
  words: `must be ${choices.map((one) => `"${one}"`).join(' or ')}`,
  fits: (value) => typeof value === 'string' && choices.includes(value),
});
const finite: Member = { words: 'must be a number', fits: (value) => Number.isFinite(value) };
const anything: Member = { words: 'must be there: a value is needed', fits: (value) => value !== undefined };
const object: Member = { words: 'must be an object', fits: (value) => isJsonObject(value) };
const id: Member = {
  words: `must be 1 to ${limits.idCharacters} characters in NFC, without control characters or "/", and not "." or ".."`,
  fits: (value) => typeof value === 'string' && isId(value),
};
const flag: Member = { words: 'must be true or false', fits: (value) => typeof value === 'boolean' };
const oneLine: Member = {
  words: 'must be one line of 1 to 200 characters',
  fits: (value) => typeof value === 'string' && value.length >= 1 && value.length <= 200 && !/[\r\n]/.test(value),
};
const dateTime = /^\d{4}-\d\d-\d\d[Tt]\d\d:\d\d(:\d\d(\.\d+)?)?([Zz]|[+-]\d\d:?\d\d)$/;
const time: Member = {
  words: 'must be a time as RFC 3339 writes it, such as 2026-11-23T12:00:00Z',
  fits: (value) => typeof value === 'string' && dateTime.test(value) && !Number.isNaN(Date.parse(value)),
};

/** It may be left out. */
const maybe = (member: Member): Member => ({ ...member, mayBeLeftOut: true });

/** The members that changes are made of. The wire's shapes are made with the same words. */
export const changeMembers = {
  key: text(300),
  value: anything,
  number: finite,
  by: finite,
  path: maybe(text(1024, 0)),
  ifRevision: maybe(wholeFrom(0)),
  better: oneOf('higher', 'lower'),
  amount: wholeFrom(1),
  reason: text(200),
  count: maybe(wholeFrom(1)),
  item: text(63),
  piece: maybe(id),
  pieceToAlter: id,
  traits: maybe(object),
  traitsToAlter: object,
  scoreName: maybe(text(128)),
  note: maybe(text(1000, 0)),
  checkpoint: id,
  summary: maybe(oneLine),
  instead: maybe(id),
} as const satisfies { readonly [name: string]: Member };

/** The members of a transaction beside its changes. */
export const transactionMembers = {
  label: maybe(text(200)),
  once: maybe(text(200)),
  at: maybe(time),
  keep: maybe(flag),
} as const satisfies { readonly [name: string]: Member };

const m = changeMembers;
const onKey = { key: m.key };

const membersOf: { readonly [op in Op]: { readonly [name: string]: Member } } = {
  put: { ...onKey, value: m.value, ifRevision: m.ifRevision },
  merge: { ...onKey, value: m.value, ifRevision: m.ifRevision },
  remove: { ...onKey, ifRevision: m.ifRevision },
  increase: { ...onKey, path: m.path, by: m.by },
  outdo: { ...onKey, path: m.path, value: m.number, better: m.better },
  collect: { ...onKey, path: m.path, value: m.value },
  discard: { ...onKey, path: m.path, value: m.value },
  credit: { ...onKey, amount: m.amount, reason: m.reason, count: m.count },
  debit: { ...onKey, amount: m.amount, reason: m.reason, count: m.count },
  gain: { ...onKey, item: m.item, count: m.count, piece: m.piece, traits: m.traits },
  lose: { ...onKey, item: m.item, count: m.count, piece: m.piece },
  alter: { ...onKey, piece: m.pieceToAlter, traits: m.traitsToAlter },
  submit: { ...onKey, value: m.number, name: m.scoreName, note: m.note },
  'start-over': {},
  reset: onKey,
  checkpoint: { name: m.checkpoint, summary: m.summary, instead: m.instead },
  restore: { name: m.checkpoint },
};

/** How it is said that a member is not known. */
export function unknownMember(name: string): string {
  return `holds "${name.slice(0, 100)}", which is not known there: take it out, or check its spelling`;
}

export const opWords = `must be one of ${Object.keys(membersOf).join(', ')}`;
export const changesWords = `must be a list of 1 to ${limits.changesPerSave.toLocaleString('en')} changes`;

/**
 * Checks a transaction as the service checks it when it arrives: shapes,
 * lengths, numbers, and sizes in bytes of UTF-8. What fits can be sent.
 *
 * @param transaction what a game gave, whatever its types promised
 * @returns the first problem, in the words that the service would use; undefined if it fits
 */
export function checkTransactionShape(
  transaction: Transaction,
): (ChangeProblem & { readonly change: number }) | undefined {
  const { changes } = transaction;
  const notJson = findNotJson(transaction, '', limits.jsonDepth + 8);
  if (notJson !== undefined) return malformed(notJson, notJsonWords, 0);
  if (!Array.isArray(changes) || changes.length === 0) return malformed('/changes', changesWords, 0);
  if (changes.length > limits.changesPerSave) {
    const detail = `It has ${changes.length} changes, and a save takes at most ${limits.changesPerSave}: make several transactions of it.`;
    return { code: 'too-many-changes', detail, change: limits.changesPerSave };
  }
  const beside = { ...transactionMembers, changes: anything };
  const met = malformedIn(transaction, beside, '', 0);
  if (met !== undefined) return met;
  for (const [index, change] of changes.entries()) {
    const problem = checkChange(change as unknown as Json, index);
    if (problem !== undefined) return problem;
  }
  const unfit = checkValue({ ...(transaction as unknown as { [name: string]: Json }), changes: [] });
  if (unfit !== undefined) return { ...unfit, change: 0 };
  const bytes = utf8Bytes(JSON.stringify(transaction));
  if (bytes <= limits.transactionBytes) return undefined;
  const detail = `The transaction takes ${bytes} bytes, and at most ${limits.transactionBytes} can be sent at once: make several of it.`;
  return { code: 'body-too-large', detail, change: 0 };
}

const notJsonWords = 'must be JSON: text, a number, true, false, null, a list or an object, nested not too deeply';

/** Where a value holds what JSON has no way to write, such as a Map or a function. */
function findNotJson(value: unknown, pointer: string, levelsLeft: number): string | undefined {
  if (value === null || value === undefined) return undefined;
  if (typeof value !== 'object') return ['string', 'number', 'boolean'].includes(typeof value) ? undefined : pointer;
  const isKnown = Array.isArray(value) || Object.prototype.toString.call(value) === '[object Object]';
  if (!isKnown || levelsLeft === 0) return pointer;
  for (const [name, inner] of Object.entries(value)) {
    if (inner === undefined && Array.isArray(value)) return `${pointer}/${name}`;
    const found = findNotJson(inner, `${pointer}/${escapePointerToken(name)}`, levelsLeft - 1);
    if (found !== undefined) return found;
  }
  return undefined;
}

function checkChange(change: Json, index: number): (ChangeProblem & { readonly change: number }) | undefined {
  const at = `/changes/${index}`;
  if (!isJsonObject(change)) return malformed(at, 'must be an object', index);
  const { op } = change;
  if (typeof op !== 'string' || !Object.hasOwn(membersOf, op)) return malformed(`${at}/op`, opWords, index);
  const unfit = checkValue(change, limits.jsonDepth + 1);
  const key = typeof change['key'] === 'string' ? { key: change['key'] } : {};
  const problem = malformedIn(change, { ...membersOf[op as Op], op: anything }, at, index);
  if (problem !== undefined) return { ...problem, ...key };
  return unfit === undefined ? undefined : { ...unfit, pointer: `${at}${unfit.pointer ?? ''}`, change: index, ...key };
}

function malformedIn(
  given: object,
  members: { readonly [name: string]: Member },
  at: string,
  change: number,
): (ChangeProblem & { readonly change: number }) | undefined {
  for (const [name, { words, fits, mayBeLeftOut }] of Object.entries(members)) {
    const value: unknown = Object.hasOwn(given, name) ? (given as { [name: string]: unknown })[name] : undefined;
    if (value === undefined ? mayBeLeftOut !== true : !fits(value)) return malformed(`${at}/${name}`, words, change);
  }
  const unknown = Object.entries(given).find(([name, value]) => !Object.hasOwn(members, name) && value !== undefined);
  return unknown && malformed(at, unknownMember(unknown[0]), change);
}

function malformed(pointer: string, words: string, change: number): ChangeProblem & { readonly change: number } {
  return { code: 'request-invalid', detail: shapeDetail(pointer, words), pointer, change };
}

/** One sentence of where something is not as it must be, and how it must be. */
export function shapeDetail(pointer: string, words: string, where = 'the transaction'): string {
  return `In ${where}${pointer === '' ? '' : ` at ${pointer}`}: ${words}.`;
}
