import type { Json } from '@vekkon/core';

/** What is wrong in a JSON text, and where: lines count from 1, places in the text from 0. */
export interface JsonMistake {
  readonly detail: string;
  readonly line: number;
  readonly from: number;
  readonly to: number;
}

type Check = (value: Json) => { readonly pointer: string; readonly detail: string } | undefined;

/** Reads a JSON text, and finds what is wrong in it: first whether it is JSON, then whether it fits. */
export function mistakesInJson(text: string, check: Check): { readonly value?: Json; readonly mistake?: JsonMistake } {
  let value: Json;
  try {
    value = JSON.parse(text) as Json;
  } catch (error) {
    const [, at] = /position (\d+)/.exec((error as Error).message) ?? [];
    const from = Math.min(at === undefined ? text.length : Number(at), Math.max(text.length - 1, 0));
    return { mistake: placed(text, from, from + 1, 'This is no JSON: look at what stands before it.') };
  }
  const misfit = check(value);
  if (misfit === undefined) return { value };
  const [from, to] = placeOf(text, misfit.pointer);
  return { value, mistake: placed(text, from, to, misfit.detail) };
}

function placed(text: string, from: number, to: number, detail: string): JsonMistake {
  return { detail, line: text.slice(0, from).split('\n').length, from, to: Math.max(to, from + 1) };
}

/** Where in a JSON text the value at a pointer stands: its members are walked one by one. */
function placeOf(text: string, pointer: string): readonly [number, number] {
  const tokens = pointer
    .split('/')
    .slice(1)
    .map((token) => token.replaceAll('~1', '/').replaceAll('~0', '~'));
  let at = skipSpace(text, 0);
  for (const token of tokens) {
    const inner = text[at] === '[' ? nthOf(text, at, Number(token)) : memberOf(text, at, token);
    if (inner === undefined) break;
    at = inner;
  }
  return [at, endOf(text, at)];
}

function skipSpace(text: string, at: number): number {
  while (at < text.length && ' \n\r\t'.includes(text[at] ?? '')) at++;
  return at;
}

/** The place after a value. */
function endOf(text: string, start: number): number {
  let depth = 0;
  for (let at = start; at < text.length; at++) {
    const sign = text[at] ?? '';
    if (sign === '"') at = endOfText(text, at);
    else if ('[{'.includes(sign)) depth++;
    else if (']}'.includes(sign)) depth--;
    else if (depth === 0 && (sign === ',' || sign === '\n')) return at;
    if (depth < 0) return at;
    if (depth === 0 && ('"]}'.includes(sign) || '"]}'.includes(text[at] ?? ''))) return at + 1;
  }
  return text.length;
}

function endOfText(text: string, start: number): number {
  let at = start + 1;
  while (at < text.length && text[at] !== '"') at += text[at] === '\\' ? 2 : 1;
  return at;
}

function nthOf(text: string, list: number, wanted: number): number | undefined {
  let at = skipSpace(text, list + 1);
  for (let index = 0; at < text.length && text[at] !== ']'; index++) {
    if (index === wanted) return at;
    at = skipSpace(text, endOf(text, at));
    if (text[at] === ',') at = skipSpace(text, at + 1);
  }
  return undefined;
}

function memberOf(text: string, object: number, wanted: string): number | undefined {
  let at = skipSpace(text, object + 1);
  while (at < text.length && text[at] === '"') {
    const end = endOfText(text, at);
    const name = JSON.parse(text.slice(at, end + 1)) as string;
    at = skipSpace(text, skipSpace(text, end + 1) + 1);
    if (name === wanted) return at;
    at = skipSpace(text, endOf(text, at));
    if (text[at] === ',') at = skipSpace(text, at + 1);
  }
  return undefined;
}
