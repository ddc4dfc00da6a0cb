import { isJsonArray, type Change, type Json } from '@vekkon/core';

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

function cut(text: string, widest: number): string {
  return text.length <= widest ? text : `${text.slice(0, widest - 1)}…`;
}

/** A change by what it does, and to what. */
export function changeInWords(change: Pick<Change, 'op'> & { readonly key?: string }): string {
  return change.key === undefined ? change.op : `${change.op} ${change.key}`;
}
