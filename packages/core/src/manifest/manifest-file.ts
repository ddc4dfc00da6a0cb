import { Ajv2020, type ErrorObject } from 'ajv/dist/2020.js';
import { isMap, LineCounter, parseDocument, type Document } from 'yaml';
import { isJsonObject, type Json, type JsonObject } from '../json.js';
import { limits } from '../limits.js';
import { isDeclaredName, nearestName } from '../names.js';
import { checkValue, utf8Bytes } from '../records/check-value.js';
import { pointerTokens } from '../records/json-pointer.js';
import { checkTogether } from './check-together.js';
import type { Manifest } from './manifest.js';
import { manifestSchema } from './manifest-schema.js';
import type { Complain, Path } from './mistake.js';
import { writeOut } from './write-out.js';

export { manifestSchema } from './manifest-schema.js';
export { fileWithLearned } from './file-with-learned.js';

/** What is wrong in a manifest file, where, and what to write instead. Lines and columns start at 1. */
export interface Mistake {
  readonly line: number;
  readonly column: number;
  readonly detail: string;
}

export type ReadManifest = { readonly manifest: Manifest } | { readonly mistakes: readonly Mistake[] };

/**
 * Reads a manifest from its YAML or JSON text.
 *
 * @param source the file's text (YAML 1.2, of which JSON is a part), at most 1 MiB
 * @returns the manifest with its short forms written out, or every mistake in the file
 */
export function readManifestFile(source: string): ReadManifest {
  if (utf8Bytes(source) > limits.manifestBytes) {
    return { mistakes: [{ line: 1, column: 1, detail: `A manifest takes at most ${limits.manifestBytes} bytes.` }] };
  }
  const lines = new LineCounter();
  const document = parseDocument(source, { lineCounter: lines, merge: false });
  if (document.errors.length > 0) {
    return {
      mistakes: document.errors.map((error) => ({
        line: error.linePos?.[0].line ?? 1,
        column: error.linePos?.[0].col ?? 1,
        detail: error.message.split(' at line')[0] ?? error.message,
      })),
    };
  }
  const mistakes: Mistake[] = [];
  const complain: Complain = (path, detail) => {
    const { line, col } = lines.linePos(offsetOf(document, path));
    mistakes.push({ line: Math.max(line, 1), column: Math.max(col, 1), detail });
  };
  // Aliases are bounded, so that a small file can't unfold into a huge one.
  const content = document.toJS({ maxAliasCount: 100 }) as Json;
  checkShape(content, complain);
  if (mistakes.length > 0) return { mistakes: inOrder(mistakes) };
  const written = writeOut(content as JsonObject, complain);
  const manifest = mistakes.length > 0 ? written : checkTogether(written, complain);
  return mistakes.length > 0 ? { mistakes: inOrder(mistakes) } : { manifest };
}

function inOrder(mistakes: readonly Mistake[]): readonly Mistake[] {
  return mistakes.toSorted((one, other) => one.line - other.line || one.column - other.column);
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

const validateShape = new Ajv2020({ allErrors: true, strictTypes: false, verbose: true }).compile(manifestSchema);

function checkShape(content: Json, complain: Complain): void {
  const unfit = checkValue(content);
  if (unfit !== undefined) return complain(pathOf(unfit.pointer ?? '', content), unfit.detail);
  const wrongNames = isJsonObject(content) ? checkNames(content, complain) : new Set();
  if (validateShape(content)) return;
  for (const error of validateShape.errors ?? []) {
    if (error.propertyName !== undefined && wrongNames.has(error.propertyName)) continue;
    const detail = shapeMistake(error);
    if (detail === undefined) continue;
    const extra = error.params['additionalProperty'] ?? error.propertyName;
    const path = pathOf(error.instancePath, content);
    complain(typeof extra === 'string' ? [...path, extra] : path, detail);
  }
}

const named = ['progress', 'currencies', 'items', 'inventories', 'preferences', 'boards', 'attributes', 'tunables'];

/** Complains of names that can't be declared. @returns them */
function checkNames(content: JsonObject, complain: Complain): ReadonlySet<string> {
  const wrong = new Set<string>();
  for (const section of named) {
    const declared = content[section];
    if (!isJsonObject(declared)) continue;
    const names = Object.keys(declared);
    for (const name of names.filter((one) => !isDeclaredName(one))) {
      wrong.add(name);
      const same = names.find((one) => one !== name && one.toLowerCase() === name.toLowerCase());
      complain(
        [section, name],
        same === undefined
          ? `"${name}" can't be a declared name: use small letters, digits and "-", starting with a letter, at most 63.`
          : `"${name}" and "${same}" differ only by case: one of them is enough, and names have small letters.`,
      );
    }
  }
  return wrong;
}

/** In words, or undefined for an error that only repeats one beneath it. */
function shapeMistake(error: ErrorObject): string | undefined {
  const { keyword, params } = error;
  const place = error.instancePath === '' ? 'A manifest' : `"${error.instancePath.slice(1)}"`;
  if (keyword === 'if' || keyword === 'propertyNames') return undefined;
  if (error.propertyName !== undefined) return undefined;
  if (keyword === 'additionalProperties') {
    const known = Object.keys((error.parentSchema as { properties?: object } | undefined)?.properties ?? {});
    const word = String(params['additionalProperty']);
    const nearest = nearestName(word, known);
    return `"${word}" is not known here: ${nearest === undefined ? `write one of ${known.join(', ')}` : `did you mean "${nearest}"?`}`;
  }
  if (keyword === 'required') return `${place} needs "${params['missingProperty']}".`;
  if (keyword === 'enum') return `${place} must be one of ${(params['allowedValues'] as unknown[]).join(', ')}.`;
  if (keyword === 'const') return `${place} must be ${JSON.stringify(params['allowedValue'])}.`;
  return `${place} ${error.message ?? 'is not as it must be'}.`;
}

/** A JSON Pointer as a path into the document, array positions as numbers. */
function pathOf(pointer: string, content: Json): Path {
  let inside: Json | undefined = content;
  return (pointerTokens(pointer) ?? []).map((token) => {
    const step = Array.isArray(inside) ? Number(token) : token;
    inside = (inside as { [name: string | number]: Json } | undefined)?.[step];
    return step;
  });
}
