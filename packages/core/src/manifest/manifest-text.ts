import {
  isAlias,
  isMap,
  isScalar,
  LineCounter,
  parseDocument,
  visit,
  type Document,
  type ErrorCode,
  type Pair,
  type YAMLMap,
} from 'yaml';
import type { Json } from '../json.js';
import { serviceLimits } from '../limits.js';
import { utf8Bytes } from '../keys/check-value.js';
import type { Path } from './mistake.js';

/** What is wrong in a manifest file, where, and what to write instead. Lines and columns start at 1. */
export interface Mistake {
  readonly line: number;
  readonly column: number;
  readonly detail: string;
}

/** A manifest's text as it was parsed, with where everything stands. */
export interface ManifestText {
  readonly content: Json;
  /** Where a path starts in the text, as line and column. */
  readonly placeOf: (path: Path) => Pick<Mistake, 'line' | 'column'>;
}

/** Deeper than any value may be; the parser itself takes the square of the depth. */
const deepest = 200;

/**
 * Parses a manifest's text (YAML 1.2, of which JSON is a part). What could
 * take more than its length is counted before.
 */
export function parseManifestText(source: string): ManifestText | { readonly mistakes: readonly Mistake[] } {
  const lines = new LineCounter();
  const placeAt = (offset: number): Pick<Mistake, 'line' | 'column'> => {
    const { line, col } = lines.linePos(offset);
    return { line: Math.max(line, 1), column: Math.max(col, 1) };
  };
  if (utf8Bytes(source) > serviceLimits.manifestBytes) {
    return {
      mistakes: [{ line: 1, column: 1, detail: `A manifest takes at most ${serviceLimits.manifestBytes} bytes.` }],
    };
  }
  const tooDeep = tooDeepAt(source);
  if (tooDeep !== undefined) {
    return { mistakes: [{ ...tooDeep, detail: `This nests deeper than ${deepest} levels: nothing needs that many.` }] };
  }
  // Its own search for keys that are there twice compares each with each.
  const document = parseDocument(source, { lineCounter: lines, merge: false, uniqueKeys: false });
  const mistakes = document.errors.map((error) => ({
    line: error.linePos?.[0].line ?? 1,
    column: error.linePos?.[0].col ?? 1,
    detail: inOurWords[error.code] ?? 'This is neither YAML nor JSON: check quotes, brackets and indentation here.',
  }));
  if (mistakes.length === 0) mistakes.push(...wrongKeys(document, placeAt), ...wrongAliases(document, placeAt));
  if (mistakes.length > 0) return { mistakes };
  try {
    // Aliases are bounded, so that a small file can't unfold into a huge one.
    const content = document.toJS({ maxAliasCount: 100 }) as Json;
    return { content, placeOf: (path) => placeAt(offsetOf(document, path)) };
  } catch (error) {
    if (!(error instanceof ReferenceError)) throw error;
    const detail = 'Its aliases ("*name") unfold into more than a hundred times their anchors: write them out.';
    return { mistakes: [{ line: 1, column: 1, detail }] };
  }
}

/** Where brackets, or lists on one line, are nested too deep; found in one walk over the text. */
function tooDeepAt(source: string): Pick<Mistake, 'line' | 'column'> | undefined {
  let [depth, line, lineStart, run] = [0, 1, 0, 0];
  for (let index = 0; index < source.length; index++) {
    const character = source[index];
    if (character === '\n') [line, lineStart, run] = [line + 1, index + 1, 0];
    else if (character === '[' || character === '{') depth++;
    else if (character === ']' || character === '}') depth = Math.max(depth - 1, 0);
    // "- - - a" is a list in a list in a list; so is what "?" begins.
    else if (character === '-' || character === '?') run++;
    else if (character !== ' ') run = 0;
    if (depth > deepest || run > deepest) return { line, column: index - lineStart + 1 };
  }
  return undefined;
}

type PlaceAt = (offset: number) => Pick<Mistake, 'line' | 'column'>;

const mostOfOneSort = 20;

/** Keys that are there twice, and keys that are no text. */
function wrongKeys(document: Document, placeAt: PlaceAt): readonly Mistake[] {
  const mistakes: Mistake[] = [];
  visit(document, {
    Map(_key, map: YAMLMap) {
      const met = new Set<unknown>();
      for (const { key } of map.items as Pair[]) {
        const place = () => placeAt((key as { range?: [number, number, number] } | null)?.range?.[0] ?? 0);
        const name = isScalar(key) ? String(key.value) : undefined;
        if (name === undefined) mistakes.push({ ...place(), detail: 'A name must be text, and this is not.' });
        else if (met.has(name)) mistakes.push({ ...place(), detail: `"${name}" stands here twice: remove one.` });
        met.add(name);
        if (mistakes.length >= mostOfOneSort) return visit.BREAK;
      }
      return undefined;
    },
  });
  return mistakes;
}

/** Aliases of what has no anchor before them. */
function wrongAliases(document: Document, placeAt: PlaceAt): readonly Mistake[] {
  const anchors = new Set<string>();
  const mistakes: Mistake[] = [];
  visit(document, {
    Node(_key, node) {
      if (isAlias(node)) {
        if (!anchors.has(node.source)) {
          const detail = `"*${node.source}" refers to an anchor that is not set before it: write "&${node.source}" where the value is.`;
          mistakes.push({ ...placeAt(node.range?.[0] ?? 0), detail });
        }
      } else if (node.anchor !== undefined) anchors.add(node.anchor);
      return mistakes.length >= mostOfOneSort ? visit.BREAK : undefined;
    },
  });
  return mistakes;
}

/** Where a path starts in the text: at the key where there is one, so that a wrong word is pointed at. */
function offsetOf(document: Document, path: Path): number {
  const last = path.at(-1);
  const parent = path.length > 1 ? document.getIn(path.slice(0, -1), true) : document.contents;
  if (isMap(parent)) {
    const pair = parent.items.find((item) => (item.key as { value?: unknown } | null)?.value === last);
    const range = (pair?.key as { range?: [number, number, number] } | undefined)?.range;
    if (range) return range[0];
  }
  const node = document.getIn(path, true) as { range?: [number, number, number] } | undefined;
  return node?.range?.[0] ?? 0;
}

/** What the parser found, by its codes. */
const inOurWords: { readonly [Code in ErrorCode]?: string } = {
  ALIAS_PROPS: 'An alias ("*name") stands alone: it takes no anchor and no tag.',
  BAD_ALIAS: 'This is no alias: write "*" and the name of an anchor, or put the text in quotes.',
  BAD_DIRECTIVE: 'A manifest needs no directives: leave lines that start with "%" out.',
  BAD_DQ_ESCAPE: 'This "\\" starts no known escape: write "\\\\" for a backslash, or use single quotes.',
  BAD_INDENT: 'The indentation does not fit what is above it: use the same number of spaces for what belongs together.',
  BAD_SCALAR_START: "Text can't start with this character here: put it in quotes.",
  BLOCK_AS_IMPLICIT_KEY: 'There is a ":" too many on this line: put text that holds ": " in quotes.',
  BLOCK_IN_FLOW:
    'Inside brackets nothing can be a list or a text by indentation: close the bracket first, or write it in brackets too.',
  KEY_OVER_1024_CHARS: 'A name takes at most 1024 characters.',
  MISSING_CHAR:
    'Something is not closed before this: look for a missing quote, bracket, comma, colon or space after a colon.',
  MULTILINE_IMPLICIT_KEY: 'A name can\'t go over several lines: is a ":" missing, or a quote?',
  MULTIPLE_DOCS: 'A manifest is one document: leave "---" out.',
  TAB_AS_INDENT: 'This line is indented with a tab: use spaces.',
  TAG_RESOLVE_FAILED: 'A manifest knows no tags ("!name"): leave it out.',
  UNEXPECTED_TOKEN: 'This is not expected here: look for a missing quote, bracket or comma before it.',
};
