import { isProblem, problem, type OrProblem } from '../keys/problem.js';
import { nearestName } from '../keys/names.js';
import { kinds, markOf, parseRecordKey, type RecordKey } from '../keys/record-key.js';
import { currentKey } from './former-names.js';
import type { Manifest, RecordDeclaration } from './manifest.js';

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
