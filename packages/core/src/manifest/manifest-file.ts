import { Ajv2020, type ErrorObject } from 'ajv/dist/2020.js';
import { isMap, LineCounter, parseDocument, type Document } from 'yaml';
import { isJsonObject, type Json, type JsonObject } from '../json.js';
import { limits } from '../limits.js';
import { isDeclaredName, nearestName } from '../names.js';
import { checkValue, utf8Bytes } from '../records/check-value.js';
import { pointerTokens } from '../records/json-pointer.js';
import type { Manifest, RecordDeclaration, Schema, TunableDeclaration } from './manifest.js';
import { manifestSchema } from './manifest-schema.js';
import { checkAgainst } from './schema-checks.js';
import { startingValueOf } from './starting-value.js';

export { schemaChecks } from './schema-checks.js';
export { manifestSchema } from './manifest-schema.js';

/** What is wrong in a manifest file, where, and what to write instead. Lines and columns start at 1. */
export interface Mistake {
  readonly line: number;
  readonly column: number;
  readonly detail: string;
}

export type ReadManifest = { readonly manifest: Manifest } | { readonly mistakes: readonly Mistake[] };

type Path = readonly (string | number)[];
type Complain = (path: Path, detail: string) => void;

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
  if (mistakes.length > 0) return { mistakes };
  const manifest = writeOut(content as JsonObject, complain);
  return mistakes.length > 0 ? { mistakes } : { manifest };
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
  if (validateShape(content)) return;
  for (const error of validateShape.errors ?? []) {
    const detail = shapeMistake(error);
    if (detail === undefined) continue;
    const extra = error.params['additionalProperty'] ?? error.propertyName;
    const path = pathOf(error.instancePath, content);
    complain(typeof extra === 'string' ? [...path, extra] : path, detail);
  }
}

/** In words, or undefined for an error that only repeats one beneath it. */
function shapeMistake(error: ErrorObject): string | undefined {
  const { keyword, params } = error;
  const place = error.instancePath === '' ? 'A manifest' : `"${error.instancePath.slice(1)}"`;
  if (keyword === 'if' || keyword === 'propertyNames') return undefined;
  if (error.propertyName !== undefined) {
    return `"${error.propertyName}" can't be a declared name: use small letters, digits and "-", starting with a letter, at most 63.`;
  }
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

/** The manifest with its short forms written out. The content has the right shape. */
function writeOut(content: JsonObject, complain: Complain): Manifest {
  const records: { [key: string]: RecordDeclaration } = {};
  const tunables: { [name: string]: TunableDeclaration } = {};
  const section = (name: string) => Object.entries((content[name] ?? {}) as JsonObject);
  for (const name of ['progress', 'currencies', 'preferences', 'boards', 'tunables']) {
    for (const [declared] of section(name)) {
      if (!isDeclaredName(declared)) complain([name, declared], `"${declared}" can't be a declared name.`);
    }
  }
  for (const [name, short] of section('progress')) {
    const valued = writeOutSchema(['progress', name], short, complain);
    records[`progress/${name}`] = { kind: 'progress', ...common(valued.long, 'none'), ...valued.declared };
  }
  for (const [name, short] of section('preferences')) {
    const valued = writeOutSchema(['preferences', name], short, complain);
    records[`preference/${name}`] = { kind: 'preference', ...common(valued.long, 'write'), ...valued.declared };
  }
  for (const [name, short] of section('currencies')) {
    const long = isJsonObject(short) ? short : { starting: short };
    const numbers = {
      starting: (long['starting'] as number | undefined) ?? 0,
      floor: (long['floor'] as number | undefined) ?? 0,
      ceiling: (long['ceiling'] as number | undefined) ?? Number.MAX_SAFE_INTEGER,
    };
    if (numbers.starting < numbers.floor || numbers.starting > numbers.ceiling) {
      complain(
        ['currencies', name],
        `"${name}" starts at ${numbers.starting}, which is not between its floor ${numbers.floor} and its ceiling ${numbers.ceiling}.`,
      );
    }
    records[`currency/${name}`] = { kind: 'currency', ...common(long, 'read'), ...numbers };
  }
  for (const [name, board] of section('boards')) {
    records[`score/${name}`] = writeOutBoard(name, board as JsonObject, complain);
  }
  for (const [name, short] of section('tunables')) {
    const { long, declared } = writeOutSchema(['tunables', name], short, complain);
    tunables[name] = { ...(typeof long['about'] === 'string' && { about: long['about'] }), ...declared };
  }
  const game = content['game'] as string;
  return { game, title: (content['title'] as string | undefined) ?? game, records, tunables };
}

function writeOutBoard(name: string, board: JsonObject, complain: Complain): RecordDeclaration {
  const { lowest, highest, unit } = board as { lowest?: number; highest?: number; unit?: string };
  if (lowest !== undefined && highest !== undefined && lowest > highest) {
    complain(['boards', name, 'lowest'], `lowest (${lowest}) is above highest (${highest}).`);
  }
  return {
    kind: 'score',
    ...common(board, 'read'),
    better: board['better'] as 'higher' | 'lower',
    counts: board['counts'] as 'best' | 'newest' | 'sum',
    public: (board['public'] as boolean | undefined) ?? true,
    ...(unit !== undefined && { unit }),
    ...(lowest !== undefined && { lowest }),
    ...(highest !== undefined && { highest }),
  };
}

/** What every record may declare. */
function common(long: JsonObject, player: 'none' | 'read' | 'write') {
  return {
    ...(typeof long['about'] === 'string' && { about: long['about'] }),
    lasts: (long['lasts'] as 'always' | 'run' | undefined) ?? 'always',
    player: (long['player'] as 'none' | 'read' | 'write' | undefined) ?? player,
    others: (long['others'] as 'none' | 'read' | undefined) ?? 'none',
    ...(isJsonObject(long['family']) && { family: { atMost: long['family']['atMost'] as number } }),
  } as const;
}

/** A declaration by schema, or by a bare value that stands for a schema with its type and starting value. */
function writeOutSchema(path: Path, short: Json, complain: Complain) {
  const long: JsonObject = isJsonObject(short) ? short : {};
  const schema: Schema = isJsonObject(short) ? (short['schema'] as Schema) : { type: typeOf(short), default: short };
  const starting = startingValueOf(schema);
  const { unusable, mismatch } = checkAgainst(schema, starting);
  const at = isJsonObject(short) ? [...path, 'schema'] : path;
  if (unusable !== undefined) complain(at, `This is not a usable JSON Schema: ${unusable}.`);
  else if (starting === undefined) {
    complain(at, `"${path.at(-1)}" has no starting value: give its schema a "default".`);
  } else if (mismatch !== undefined) {
    complain(at, `The starting value of "${path.at(-1)}" does not fit its own schema: ${mismatch.detail}`);
  }
  return { long, declared: { schema, starting: starting ?? null } };
}

function typeOf(value: Json): string {
  if (value === null) return 'null';
  return Array.isArray(value) ? 'array' : typeof value;
}
