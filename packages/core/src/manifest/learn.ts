import { distance } from 'fastest-levenshtein';
import { isJsonArray, isJsonObject, type Json } from '../json.js';
import type { RecordChange } from '../records/change.js';
import { parseRecordKey } from '../keys/record-key.js';
import { typeOf } from '../json.js';
import type { ItemDeclaration, Manifest, RecordDeclaration } from './manifest.js';

/** How many a learned family may hold. */
const learnedFamily = { atMost: 1000 };
const learnedStack = 99;

/** What is declared by the service itself, in an environment that learns. */
export interface Learned {
  readonly records: { readonly [key: string]: RecordDeclaration };
  readonly items: { readonly [name: string]: ItemDeclaration };
}

/**
 * Declares from its first value what a change names and no manifest declares.
 *
 * @returns undefined if it can't be learned: the name is one or two letters
 *   away from a declared one, or the change does not say what type it is
 */
export function learnFrom(change: RecordChange, manifest: Manifest): Learned | undefined {
  const parsed = parseRecordKey(change.key);
  if (parsed === undefined) return undefined;
  const records: { [key: string]: RecordDeclaration } = {};
  const items: { [name: string]: ItemDeclaration } = {};
  if (!Object.hasOwn(manifest.records, parsed.declared)) {
    const [, name = ''] = parsed.declared.split('/');
    if (isNearOne(name, namesOfKind(parsed.kind, manifest))) return undefined;
    const declaration = declarationFrom(change, parsed.kind);
    if (declaration === undefined) return undefined;
    const isFamily = parsed.member !== undefined;
    if (isFamily && parsed.kind !== 'progress' && parsed.kind !== 'score') return undefined;
    records[parsed.declared] = isFamily ? { ...declaration, family: learnedFamily } : declaration;
  }
  if (change.op === 'gain' && !Object.hasOwn(manifest.items, change.item)) {
    if (isNearOne(change.item, Object.keys(manifest.items))) return undefined;
    items[change.item] =
      change.piece === undefined
        ? { stack: learnedStack, learned: true }
        : { unique: true, traits: schemaFrom(change.traits ?? {}), starting: {}, learned: true };
  }
  return Object.keys(records).length + Object.keys(items).length === 0 ? undefined : { records, items };
}

/** A manifest with what was learned beside what is declared in it. */
export function withLearned(manifest: Manifest, learned: Learned): Manifest {
  return {
    ...manifest,
    records: { ...learned.records, ...manifest.records },
    items: { ...learned.items, ...manifest.items },
  };
}

function isNearOne(name: string, names: readonly string[]): boolean {
  return names.some((one) => distance(name, one) <= 2);
}

function namesOfKind(kind: string, { records }: Manifest): readonly string[] {
  return Object.entries(records).flatMap(([key, { formerly = [] }]) =>
    key.startsWith(`${kind}/`) ? [key.slice(kind.length + 1), ...formerly] : [],
  );
}

function declarationFrom(change: RecordChange, kind: string): RecordDeclaration | undefined {
  const common = { lasts: 'always', player: 'none', others: 'none', learned: true } as const;
  switch (change.op) {
    case 'credit':
      return { kind: 'currency', ...common, player: 'read', starting: 0, floor: 0, ceiling: Number.MAX_SAFE_INTEGER };
    case 'gain':
      return { kind: 'inventory', ...common, player: 'read', starting: { stacks: {}, pieces: {} } };
    case 'submit':
      return {
        kind: 'score',
        ...common,
        player: 'read',
        better: 'higher',
        counts: 'best',
        season: 'none',
        public: true,
      };
    case 'put':
    case 'merge':
    case 'increase':
    case 'outdo':
    case 'collect': {
      const first = firstValue(change);
      if (first === undefined || first === null) return undefined;
      const schema = { ...schemaFrom(first), default: emptyOf(first) };
      const valued = { ...common, schema, starting: emptyOf(first) };
      if (kind === 'preference') return { ...valued, kind: 'preference', player: 'write' };
      return kind === 'progress' ? { ...valued, kind: 'progress' } : undefined;
    }
    default:
      return undefined;
  }
}

/** What a record is made of by its first change; undefined if the change goes to a place inside it. */
function firstValue(
  change: Extract<RecordChange, { op: 'put' | 'merge' | 'increase' | 'outdo' | 'collect' }>,
): Json | undefined {
  if (change.op === 'put' || change.op === 'merge') return change.value;
  if (change.path !== '') return undefined;
  return change.op === 'collect' ? [change.value] : change.op === 'increase' ? change.by : change.value;
}

/** The types that a value has, at every depth. A number is learned as `number`. */
function schemaFrom(value: Json): { [word: string]: Json } {
  if (value === null) return {};
  if (isJsonArray(value)) {
    const types = new Set(value.map(typeOf));
    const [first] = value;
    return { type: 'array', ...(types.size === 1 && first !== undefined && { items: schemaFrom(first) as Json }) };
  }
  if (isJsonObject(value)) {
    const properties = Object.entries(value).map(([name, inner]) => [name, schemaFrom(inner)] as const);
    return { type: 'object', ...(properties.length > 0 && { properties: Object.fromEntries(properties) }) };
  }
  return { type: typeOf(value) };
}

/** What a player who has none of it holds. */
function emptyOf(value: Json): Json {
  if (isJsonArray(value)) return [];
  if (isJsonObject(value)) return {};
  return typeof value === 'number' ? 0 : typeof value === 'boolean' ? false : '';
}
