import { isJsonArray, type Change, type InventoryValue, type Json, type ScoreValue } from '@vekkon/core';

/** A time as people read it, in the zone of this machine; "–" if there is none. */
export function timeInWords(time: string | null): string {
  if (time === null) return '–';
  const at = new Date(time);
  const two = (number: number) => String(number).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}:${two(at.getSeconds())}`;
}

/** A value on one line, cut where it is too long. */
export function valueInWords(value: Json, widest = 80): string {
  if (value === null) return 'none';
  if (isJsonArray(value)) {
    const items = value.map((item) => valueInWords(item, 40)).join(', ');
    return value.length === 0 ? 'none' : cut(`${value.length}: ${items}`, widest);
  }
  if (typeof value === 'object') {
    const inner = Object.entries(value).map(([name, member]) => `${name} ${valueInWords(member, 40)}`);
    return cut(inner.join('; '), widest);
  }
  return cut(typeof value === 'string' ? value : JSON.stringify(value), widest);
}

/** What a record holds, on one line: an inventory by how many of what, a score nobody has set told apart from 0. */
export function recordInWords(key: string, value: Json, widest = 80): string {
  if (key.startsWith('score/')) {
    const { best, latest, sum, count } = value as ScoreValue;
    return count === 0 ? 'no result yet' : cut(`best ${best}, latest ${latest}, sum ${exact(sum)} of ${count}`, widest);
  }
  if (!key.startsWith('inventory/')) return valueInWords(value, widest);
  const { stacks, pieces } = value as InventoryValue;
  const held = [
    ...Object.entries(stacks).map(([item, count]) => `${count} ${item}`),
    ...Object.entries(pieces).map(([id, { item }]) => `${item} ${id}`),
  ];
  return held.length === 0 ? 'nothing' : cut(held.join(', '), widest);
}

function cut(text: string, widest: number): string {
  return text.length <= widest ? text : `${text.slice(0, widest - 1)}…`;
}

/** A change by what it does, and to what. */
export function changeInWords(change: Pick<Change, 'op'> & { readonly key?: string }): string {
  return change.key === undefined ? change.op : `${change.op} ${change.key}`;
}

/** A sum of fractions without the dust that adding them leaves. */
function exact(sum: number): number {
  return Number(sum.toPrecision(12));
}
