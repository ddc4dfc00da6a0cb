import { validate } from 'compare-versions';
import { equalJson, type Json } from '../json.js';
import { checkValue } from '../keys/check-value.js';
import { pointerTokens, valueAt } from '../keys/json-pointer.js';
import { nearestName } from '../keys/names.js';
import { isProblem } from '../keys/problem.js';
import { declarationOf } from '../manifest/declaration-of.js';
import type { Manifest } from '../manifest/manifest.js';
import { startingRecordValue } from '../manifest/starting-value.js';
import type { Rules } from '../records/rules.js';
import { attributeTypes, type AttributeType } from './attributes.js';
import { comparisonNames } from './audience.js';
import {
  tuningLimits,
  type Adjustment,
  type AttributeTest,
  type Audience,
  type Measure,
  type Tuned,
} from './tuning.js';

/** What is wrong with what a tunable is to be, where, and what to do. */
export interface TunedMistake {
  /** JSON Pointer (RFC 6901) into what was sent. */
  readonly pointer: string;
  readonly detail: string;
}

interface Checking {
  readonly types: { readonly [name: string]: AttributeType };
  readonly manifest: Manifest;
  readonly say: (pointer: string, detail: string) => void;
}

/**
 * Checks what a tunable is to be: its values by its schema, and its
 * adjustments by what the manifest declares. The shape is right already.
 *
 * @param tuned  what it is to be
 * @param before what it is: a window that was there already may lie in the past
 * @param now    milliseconds since 1970
 * @returns every mistake; none where it can be published
 */
export function checkTuned(
  tunable: string,
  tuned: Tuned,
  before: Tuned,
  { manifest, check }: Pick<Rules, 'manifest' | 'check'>,
  now: number,
): readonly TunedMistake[] {
  const mistakes: TunedMistake[] = [];
  const say = (pointer: string, detail: string) => void mistakes.push({ pointer, detail });
  const declaration = Object.hasOwn(manifest.tunables, tunable) ? manifest.tunables[tunable] : undefined;
  if (declaration === undefined) {
    say('', notDeclared('tunable', tunable, Object.keys(manifest.tunables)));
    return mistakes;
  }
  const fits = (value: Json, pointer: string) => {
    const misfit = checkValue(value) ?? check?.(declaration.schema, value);
    if (misfit !== undefined) say(`${pointer}${misfit.pointer ?? ''}`, misfit.detail);
  };
  if (tuned.value !== undefined) fits(tuned.value, '/value');
  const checking = { types: attributeTypes(manifest), manifest, say };
  const ids = new Set<string>();
  for (const [index, one] of tuned.adjustments.entries()) {
    const at = `/adjustments/${index}`;
    if (ids.has(one.id)) say(`${at}/id`, `"${one.id}" is the id of another adjustment of ${tunable} already.`);
    ids.add(one.id);
    checkValues(one, at, fits, checking);
    const was = before.adjustments.find(({ id }) => id === one.id);
    checkWindow(one, at, was, now, say);
    if (one.percent !== undefined && !(one.percent > 0 && one.percent <= 100)) {
      say(
        `${at}/percent`,
        `A percentage lies above 0 and goes up to 100; ${one.percent} takes nobody or more than all.`,
      );
    }
    if (one.audience !== undefined) {
      const counted = { tests: 0 };
      checkAudience(one.audience, `${at}/audience`, 1, counted, checking);
      if (counted.tests > tuningLimits.audienceTests) {
        say(`${at}/audience`, `It has ${counted.tests} tests, and ${tuningLimits.audienceTests} are the most.`);
      }
    }
    const earlier = tuned.adjustments.slice(0, index).findIndex((other) => takesAllOf(other, one));
    if (earlier >= 0) {
      say(
        at,
        `"${nameOf(one)}" can never win: "${nameOf(tuned.adjustments[earlier] as Adjustment)}" stands before it and takes everybody that it would. Put it first, or take it out.`,
      );
    }
  }
  return mistakes;
}

/** What people call an adjustment. */
export function nameOf({ id, note }: Adjustment): string {
  return note === undefined || note === '' ? id : note;
}

function checkValues(
  { value, values, measure }: Adjustment,
  at: string,
  fits: (value: Json, pointer: string) => void,
  { manifest, say }: Checking,
): void {
  if ((value === undefined) === (values === undefined)) {
    say(at, 'An adjustment has a "value", or, where it is a trial, "values" with shares.');
    return;
  }
  if (value !== undefined) {
    fits(value, `${at}/value`);
    if (measure !== undefined)
      say(`${at}/measure`, 'A measure compares the values of a trial: give "values", or leave it out.');
    return;
  }
  for (const [index, one] of (values ?? []).entries()) fits(one.value, `${at}/values/${index}/value`);
  const sum = (values ?? []).reduce((all, { share }) => all + share, 0);
  if (Math.abs(sum - 100) > 1e-6) {
    say(
      `${at}/values`,
      `The shares add up to ${Number(sum.toFixed(4))}, and must to 100: for a part of the players give "percent" too.`,
    );
  }
  if (measure === undefined) {
    say(
      at,
      'A trial needs a "measure": a board, a currency, or a number in progress, such as { "key": "score/gorge-run" }.',
    );
  } else checkMeasure(measure, `${at}/measure`, manifest, say);
}

function checkMeasure({ key, path }: Measure, at: string, manifest: Manifest, say: Checking['say']): void {
  const declared = declarationOf(key, manifest);
  if (isProblem(declared)) {
    say(`${at}/key`, notDeclared('record', key, Object.keys(manifest.records)));
    return;
  }
  const { declaration } = declared;
  if (declaration.kind === 'score' || declaration.kind === 'currency') {
    if (path !== undefined && path !== '') say(`${at}/path`, 'Only a progress record has a path to a number.');
    return;
  }
  const held = valueAt(startingRecordValue(declaration), pointerTokens(path ?? '') ?? ['']);
  if (declaration.kind !== 'progress' || typeof held !== 'number') {
    say(at, `There is no number at "${path ?? ''}" of ${key}: measure a board, a currency, or a number in progress.`);
  }
}

function checkWindow(
  { window }: Adjustment,
  at: string,
  was: Adjustment | undefined,
  now: number,
  say: Checking['say'],
): void {
  if (window === undefined) return;
  const { from, until } = window;
  if (from === undefined && until === undefined) {
    say(`${at}/window`, 'A window has a "from", an "until", or both: leave it out where it is always.');
    return;
  }
  if (from !== undefined && until !== undefined && Date.parse(from) >= Date.parse(until)) {
    say(`${at}/window/until`, `The window ends at ${until}, which is not after it starts at ${from}.`);
  } else if (until !== undefined && Date.parse(until) <= now && !equalJson(was?.window, window)) {
    say(`${at}/window/until`, `The window lies in the past: it ended at ${until}. Write when it is to end.`);
  }
}

function checkAudience(
  audience: Audience,
  at: string,
  depth: number,
  counted: { tests: number },
  checking: Checking,
): void {
  const { say } = checking;
  if (depth > tuningLimits.audienceDepth) {
    say(at, `Audiences nest at most ${tuningLimits.audienceDepth} deep.`);
    return;
  }
  if ('not' in audience) return checkAudience(audience.not, `${at}/not`, depth + 1, counted, checking);
  if ('all' in audience || 'any' in audience) {
    const word = 'all' in audience ? 'all' : 'any';
    const parts = 'all' in audience ? audience.all : audience.any;
    if (parts.length === 0) say(`${at}/${word}`, `"${word}" is empty: give it tests, or leave the audience out.`);
    for (const [index, one] of parts.entries()) {
      checkAudience(one, `${at}/${word}/${index}`, depth + 1, counted, checking);
    }
    return;
  }
  counted.tests++;
  checkTest(audience, at, checking);
}

function checkTest(test: AttributeTest, at: string, { types, say }: Checking): void {
  const type = Object.hasOwn(types, test.attribute) ? types[test.attribute] : undefined;
  if (type === undefined) {
    say(`${at}/attribute`, notDeclared('attribute', test.attribute, Object.keys(types)));
    return;
  }
  const given: [string, Json][] = comparisonNames.flatMap((name) => {
    const value = test[name];
    return value === undefined ? [] : [[name, value] as [string, Json]];
  });
  for (const [index, one] of (test.isOneOf ?? []).entries()) given.push([`isOneOf/${index}`, one]);
  if (given.length === 0 && test.isOneOf === undefined && test.isMissing === undefined) {
    say(
      at,
      `It says nothing about ${test.attribute}: write one of is, isNot, isOneOf, atLeast, atMost, above, below, isMissing.`,
    );
  }
  const wanted = type === 'version' ? 'string' : type;
  for (const [name, value] of given) {
    const isOrder = ['atLeast', 'atMost', 'above', 'below'].includes(name);
    if (isOrder && type !== 'number' && type !== 'version') {
      say(
        `${at}/${name}`,
        `"${name}" can't apply to ${test.attribute}, which is a ${type}: only numbers and builds have an order.`,
      );
    } else if (typeof value !== wanted) {
      say(`${at}/${name}`, `${test.attribute} is a ${type}, and ${JSON.stringify(value)} is a ${typeof value}.`);
    } else if (isOrder && type === 'version' && !validate(String(value))) {
      say(`${at}/${name}`, `"${String(value)}" is no version: write it as in semantic versioning, such as 1.8.0.`);
    }
  }
}

/** Does an earlier adjustment take everybody that a later one would, whenever it would? */
function takesAllOf(earlier: Adjustment, later: Adjustment): boolean {
  if (earlier.percent !== undefined && earlier.percent < 100) return false;
  if (earlier.audience !== undefined && !equalJson(earlier.audience, later.audience)) return false;
  const opens = (one: Adjustment) => (one.window?.from === undefined ? -Infinity : Date.parse(one.window.from));
  const closes = (one: Adjustment) => (one.window?.until === undefined ? Infinity : Date.parse(one.window.until));
  return opens(earlier) <= opens(later) && closes(earlier) >= closes(later);
}

function notDeclared(what: string, word: string, known: readonly string[]): string {
  const nearest = nearestName(word, known);
  const advice = nearest === undefined ? `declared are ${known.join(', ') || 'none'}` : `did you mean "${nearest}"?`;
  return `"${word}" is no declared ${what}: ${advice}`;
}
