import type { Transaction } from '@vekkon/core';
import type { ServiceRefused } from '../errors.js';

/** Is a save refused for what it looks like? Then no repetition helps: it must be taken apart. */
export function isForShape({ status }: ServiceRefused): boolean {
  return status === 400 || status === 413 || status === 422;
}

/** Refusals that name the number that the session expects: what is below was answered long ago. */
const answeredBefore: ReadonlySet<string> = new Set(['save-out-of-order', 'session-ended', 'host-replaced']);

/** Was a save answered before, and the answer forgotten since the sender said that it has it? Then it is applied. */
export function wasAnswered({ code, facts }: ServiceRefused, number: number): boolean {
  return answeredBefore.has(code) && facts.expected !== undefined && facts.expected > number;
}

/**
 * Divides a save that was refused for its shape into what is wrong in it and
 * the rest, which keeps its number. Where the refusal does not say which
 * transactions it means, it may be any of them.
 */
export function takenApart<Save extends { readonly transactions: readonly Transaction[] }>(
  save: Save,
  { facts }: ServiceRefused,
): { readonly aside: readonly Transaction[]; readonly rest: Save; readonly isStaying: readonly boolean[] } {
  const { transactions } = save;
  const pointers = [facts.pointer ?? '', ...(facts.issues ?? []).map(({ pointer }) => pointer)];
  const named = new Set(pointers.flatMap((one) => /^\/transactions\/(\d+)(?:\/|$)/.exec(one)?.[1] ?? []).map(Number));
  const isOneOfThem = transactions.some((_, index) => named.has(index));
  const isStaying = transactions.map((_, index) => isOneOfThem && !named.has(index));
  return {
    aside: transactions.filter((_, index) => isStaying[index] === false),
    rest: { ...save, transactions: transactions.filter((_, index) => isStaying[index] === true) },
    isStaying,
  };
}
