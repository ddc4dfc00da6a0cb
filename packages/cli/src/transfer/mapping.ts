import {
  declaredPart,
  pointerTokens,
  startingRecordValue,
  valueAt,
  withValueAt,
  type Json,
  type Manifest,
} from '@vekkon/core';
import { WrongCommandLine } from '../exit-status.js';
import { textOf } from '../text-of.js';

const forms = ['text', 'number', 'yes-no', 'json'] as const;
type Form = (typeof forms)[number];

interface Field {
  /** Where it goes: a record, and a place in it as a JSON Pointer (RFC 6901). */
  readonly key: string;
  readonly tokens: readonly string[];
  /** Whence it comes: a column, or a JSON Pointer into the line. */
  readonly from: string;
  readonly as: Form;
}

/** Which field of a foreign file goes where. */
export interface Mapping {
  readonly player: string;
  readonly name: string | undefined;
  readonly fields: readonly Field[];
}

/** A line of a foreign file: its columns, or its members. */
export type ForeignLine = Json;

/** Reads a mapping file. @throws WrongCommandLine that says what is wrong with it */
export async function readMapping(file: string): Promise<Mapping> {
  const { parse } = await import('yaml');
  const held = parse(textOf(file)) as { readonly [name: string]: unknown } | null;
  const wrong = (what: string): never => {
    throw new WrongCommandLine(
      `${file}: ${what}. It looks like this:\nplayer: user_id\nname: nick\nrecords:\n  currency/feather: { from: coins, as: number }\n  progress/flight#/chapter: { from: level, as: number }`,
    );
  };
  if (typeof held !== 'object' || held === null) return wrong('it holds no mapping');
  const { player, name, records, ...others } = held;
  const [other] = Object.keys(others);
  if (other !== undefined) return wrong(`"${other}" is not known: there are player, name and records`);
  if (typeof player !== 'string') return wrong('"player" must name the field that holds the id');
  if (name !== undefined && typeof name !== 'string') return wrong('"name" must name a field');
  if (typeof records !== 'object' || records === null) return wrong('"records" must say which field goes to which key');
  const fields = Object.entries(records).map(([place, told]): Field => {
    const [key = '', pointer = ''] = place.split(/#(.*)/s);
    const tokens = pointerTokens(pointer);
    if (tokens === undefined) return wrong(`"${place}": write a place in a record as KEY#/MEMBER`);
    const { from, as = 'text' } = (typeof told === 'string' ? { from: told } : (told ?? {})) as {
      readonly from?: unknown;
      readonly as?: unknown;
    };
    if (typeof from !== 'string') return wrong(`"${place}" needs "from", the field that it comes from`);
    if (!(forms as readonly unknown[]).includes(as)) return wrong(`"${place}": "as" is one of ${forms.join(', ')}`);
    return { key, tokens, from, as: as as Form };
  });
  return { player, name, fields };
}

/**
 * What a foreign line says of a player, as a line of an import.
 *
 * @returns what is wrong with it, as text
 */
export function mapped(line: ForeignLine, { player, name, fields }: Mapping, manifest: Manifest): Json | string {
  const id = fieldIn(line, player);
  if (id === undefined || id === null || id === '') return `"${player}", which holds the id, is empty`;
  const records: { [key: string]: Json } = {};
  for (const { key, tokens, from, as } of fields) {
    const held = fieldIn(line, from);
    // What is not there stays as it starts.
    if (held === undefined || held === '' || held === null) continue;
    const value = valueFrom(held, as);
    if (value === undefined) return `"${from}" is ${JSON.stringify(held)}, which is no ${as}`;
    const declaration = manifest.records[declaredPart(key)];
    const start = records[key] ?? (declaration === undefined ? {} : startingRecordValue(declaration));
    const put = withValueAt(start, tokens, value);
    if (put === undefined) return `${key} has no place "/${tokens.join('/')}"`;
    records[key] = put;
  }
  const called = name === undefined ? undefined : fieldIn(line, name);
  return {
    player: typeof id === 'string' ? id : JSON.stringify(id),
    ...(typeof called === 'string' && called !== '' && { name: called }),
    records,
  };
}

function fieldIn(line: ForeignLine, from: string): Json | undefined {
  const tokens = from.startsWith('/') ? pointerTokens(from) : [from];
  return valueAt(line, tokens ?? [from]);
}

function valueFrom(held: Json, as: Form): Json | undefined {
  if (as === 'text') return typeof held === 'string' ? held : JSON.stringify(held);
  if (as === 'number') {
    const number = typeof held === 'number' ? held : typeof held === 'string' ? Number(held.trim()) : Number.NaN;
    return Number.isFinite(number) ? number : undefined;
  }
  if (as === 'yes-no') {
    const word = String(held).trim().toLowerCase();
    if (['true', 'yes', '1'].includes(word)) return true;
    return ['false', 'no', '0'].includes(word) ? false : undefined;
  }
  if (typeof held !== 'string') return held;
  try {
    return JSON.parse(held) as Json;
  } catch {
    return undefined;
  }
}
