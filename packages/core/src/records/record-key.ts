import { currentKey } from '../manifest/former-names.js';
import type { Kind, Manifest, RecordDeclaration } from '../manifest/manifest.js';
import { isDeclaredName, isId, nearestName } from '../names.js';
import { isProblem, problem, type OrProblem } from './problem.js';

/** Every kind of record: what a key starts with. */
export const kinds: readonly Kind[] = ['progress', 'currency', 'inventory', 'preference', 'score'];

export interface RecordKey {
  readonly kind: Kind;
  /** `kind/name`, under which the manifest declares the record. */
  readonly declared: string;
  /** The name of this one among its family. */
  readonly member?: string;
}

/** `kind/name`, under which a manifest declares what is stored under a key. */
export function declaredPart(key: string): string {
  const end = key.indexOf('/', key.indexOf('/') + 1);
  return end < 0 ? key : key.slice(0, end);
}

/** Takes `progress/glider/heron` apart; undefined if it can't be a key. */
export function parseRecordKey(key: string): RecordKey | undefined {
  const [kind, name, ...rest] = key.split('/');
  if (name === undefined || rest.length > 1 || !isDeclaredName(name)) return undefined;
  if (!(kinds as readonly (string | undefined)[]).includes(kind)) return undefined;
  const [member] = rest;
  const parsed = { kind: kind as Kind, declared: `${kind}/${name}` };
  if (member === undefined) return parsed;
  return isId(member) ? { ...parsed, member } : undefined;
}

export interface DeclaredKey extends RecordKey {
  /** The whole key, under the names of now. */
  readonly key: string;
  readonly declaration: RecordDeclaration;
}

/**
 * Finds what the manifest declares for a key, whether it is sent under its name of now or under a former one.
 *
 * @returns the declaration, or `key-malformed`, `key-not-declared` with the nearest declared key, or `not-for-players`
 */
export function declarationOf(sent: string, manifest: Manifest): OrProblem<DeclaredKey> {
  let known = found.get(manifest);
  if (known === undefined) {
    known = new Map();
    found.set(manifest, known);
  }
  const before = known.get(sent);
  if (before !== undefined) return before;
  const declared = findDeclaration(sent, manifest);
  // Bounded: members of families have any names.
  if (!isProblem(declared) && known.size < 10_000) known.set(sent, declared);
  return declared;
}

/** What was found before: the same few keys come with every save. */
const found = new WeakMap<Manifest, Map<string, DeclaredKey>>();

function findDeclaration(sent: string, manifest: Manifest): OrProblem<DeclaredKey> {
  const key = currentKey(sent, manifest);
  const parsed = parseRecordKey(key);
  if (parsed === undefined) {
    const nearest = nearestName(key, Object.keys(manifest.records));
    const shape = `a key is a kind and a declared name, such as ${nearest ?? Object.keys(manifest.records)[0] ?? 'progress/flight'}`;
    return problem('key-malformed', `"${key}" is not a key: ${shape}; the kinds are ${kinds.join(', ')}.`, {
      key,
      ...(nearest !== undefined && { nearest }),
    });
  }
  const declaration = Object.hasOwn(manifest.records, parsed.declared) ? manifest.records[parsed.declared] : undefined;
  if (declaration === undefined && manifest.notForPlayers?.includes(markOf(parsed.declared)) === true) {
    const detail = `${key} is not for players to see: "player: read" would let them.`;
    return problem('not-for-players', detail, { key });
  }
  if (declaration === undefined) return notDeclared(key, parsed, manifest);
  if (declaration.family !== undefined && parsed.member === undefined) {
    return problem(
      'key-malformed',
      `"${key}" is a family: say which one, as in ${key}/NAME (a player may hold ${declaration.family.atMost}).`,
      { key },
    );
  }
  if (declaration.family === undefined && parsed.member !== undefined) {
    return problem('key-malformed', `"${parsed.declared}" is not a family: leave out "/${parsed.member}".`, {
      key,
      nearest: parsed.declared,
    });
  }
  return { ...parsed, key, declaration };
}

function notDeclared(key: string, parsed: RecordKey, manifest: Manifest) {
  const declared = Object.keys(manifest.records);
  const sameName = declared.find((one) => one.split('/')[1] === parsed.declared.split('/')[1]);
  const nearest = sameName ?? nearestName(parsed.declared, declared);
  const advice =
    nearest === undefined
      ? `declare it in the manifest, or use one that is declared: ${declared.slice(0, 8).join(', ')}${declared.length > 8 ? ', …' : ''}.`
      : `did you mean "${nearest}"?`;
  return problem('key-not-declared', `"${key}" is not declared in the manifest; ${advice}`, {
    key,
    ...(nearest !== undefined && { nearest }),
  });
}

/**
 * A mark by which a key is known again without being told: FNV-1a, 32 bits
 * (Fowler, Noll and Vo), over its UTF-16 units, in hexadecimal.
 */
export function markOf(key: string): string {
  let hash = 0x811c9dc5;
  for (let index = 0; index < key.length; index++) {
    hash = Math.imul(hash ^ key.charCodeAt(index), 0x01000193);
  }
  return (hash >>> 0).toString(16).padStart(8, '0');
}
