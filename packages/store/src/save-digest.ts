import type { Transaction } from '@vekkon/core';
import { digestOf } from './digest.js';

/** Tells apart what saves hold: under one number only the same may be sent again. */
export function digestOfSave(transactions: readonly Transaction[], isLeave: boolean): string {
  return digestOf(JSON.stringify([transactions, isLeave]));
}
