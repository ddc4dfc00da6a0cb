import { Ajv2020, type ErrorObject, type ValidateFunction } from 'ajv/dist/2020.js';
import { isJsonObject, type Json, type JsonObject } from '../json.js';
import { isDeclaredName, nearestName } from '../keys/names.js';
import { checkValue } from '../keys/check-value.js';
import { pointerTokens } from '../keys/json-pointer.js';
import { manifestSchema, mostOfASection } from './manifest-schema.js';
import type { Complain, Path } from './mistake.js';
import { wordsOfKeyword } from './schema-words.js';

let shape: ValidateFunction | undefined;

/** Compiled when the first manifest is checked: most processes check none, and it takes as long as a third of a start. */
function shapeOfManifests(): ValidateFunction {
  return (shape ??= new Ajv2020({ allErrors: true, strictTypes: false, verbose: true }).compile(manifestSchema));
}

/**
 * Checks the shape of a manifest's content.
 *
 * @returns the declarations that are right in shape, for the checks that come
 *   after, the names of those that are not, and the schemas in them, which may
 *   have mistakes of their own; undefined where nothing is
 */
export function checkShape(
  content: Json,
  complain: Complain,
):
  | { readonly right: JsonObject; readonly wrong: ReadonlySet<string>; readonly schemasInWrong: readonly Path[] }
  | undefined {
  const unfit = checkValue(content);
  if (unfit !== undefined) {
    complain(pathOf(unfit.pointer ?? '', content), unfit.detail);
    return undefined;
  }
  if (!isJsonObject(content)) {
    complain([], 'A manifest is an object: start it with "manifest: 1" and "game: …".');
    return undefined;
  }
  const wrong: Path[] = checkNames(content, complain);
  const wrongNames = new Set(wrong.map((path) => path.at(-1)));
  const validateShape = shapeOfManifests();
  if (!validateShape(content)) {
    for (const error of validateShape.errors ?? []) {
      const extra: unknown = error.params['additionalProperty'] ?? error.params['propertyName'] ?? error.propertyName;
      const path = pathOf(error.instancePath, content);
      const at = typeof extra === 'string' ? [...path, extra] : path;
      wrong.push(at);
      if (error.propertyName !== undefined && wrongNames.has(error.propertyName)) continue;
      const detail = shapeMistake(error);
      if (detail !== undefined) complain(at, detail);
    }
  }
  return {
    right: without(content, wrong),
    wrong: new Set(wrong.map(([, name]) => String(name))),
    schemasInWrong: schemasIn(content, wrong),
  };
}

/** Where schemas stand that are right in shape, in declarations that are not. */
function schemasIn(content: JsonObject, wrong: readonly Path[]): readonly Path[] {
  const declarations = new Map(
    wrong.filter(([, name]) => name !== undefined).map((path) => [`${path[0]} ${path[1]}`, path]),
  );
  return [...declarations.values()].flatMap(([section, name]) => {
    const declared = section === undefined || name === undefined ? undefined : inside(content[section], name);
    return ['schema', 'traits']
      .filter((word) => isJsonObject(inside(declared, word)))
      .filter((word) => !wrong.some((path) => path[0] === section && path[1] === name && path[2] === word))
      .map((word) => [section, name, word] as Path);
  });
}

function inside(value: Json | undefined, step: string | number): Json | undefined {
  return isJsonObject(value) ? value[step] : undefined;
}

/** The content without the declarations, or whole sections, in which something is wrong. */
function without(content: JsonObject, wrong: readonly Path[]): JsonObject {
  const wholly = new Set(wrong.filter((path) => path.length === 1).map(([section]) => section));
  const partly = new Set(wrong.map(([section, name]) => `${section} ${name}`));
  const right = Object.entries(content).filter(([section]) => !wholly.has(section));
  return Object.fromEntries(
    right.map(([section, declared]) => {
      if (!isJsonObject(declared)) return [section, declared];
      return [
        section,
        Object.fromEntries(Object.entries(declared).filter(([name]) => !partly.has(`${section} ${name}`))),
      ];
    }),
  );
}

const named = ['progress', 'currencies', 'items', 'inventories', 'preferences', 'boards', 'attributes', 'tunables'];

/** Complains of names that can't be declared. @returns where they are */
function checkNames(content: JsonObject, complain: Complain): Path[] {
  const wrong: Path[] = [];
  for (const section of named) {
    const declared = content[section];
    if (!isJsonObject(declared)) continue;
    const names = Object.keys(declared);
    // How many are too many is said once, by the shape.
    if (names.length > mostOfASection) continue;
    const byLower = new Map<string, string>();
    for (const name of names) if (isDeclaredName(name)) byLower.set(name, name);
    for (const name of names.filter((one) => !isDeclaredName(one))) {
      wrong.push([section, name]);
      const same = byLower.get(name.toLowerCase());
      complain(
        [section, name],
        same === undefined
          ? `"${shortened(name)}" can't be a declared name: use small letters, digits and "-", starting with a letter, at most 63.`
          : `"${name}" and "${same}" differ only by case: one of them is enough, and names have small letters.`,
      );
    }
  }
  return wrong;
}

function shortened(name: string): string {
  return name.length <= 80 ? name : `${name.slice(0, 79)}…`;
}

/** In words, or undefined for an error that only repeats one beneath it. */
function shapeMistake(error: ErrorObject): string | undefined {
  const { keyword, params } = error;
  const place = error.instancePath === '' ? 'A manifest' : `"${shortened(error.instancePath.slice(1))}"`;
  if (keyword === 'if' || keyword === 'propertyNames') return undefined;
  if (error.propertyName !== undefined) return undefined;
  if (keyword === 'additionalProperties') {
    const known = Object.keys((error.parentSchema as { properties?: object } | undefined)?.properties ?? {});
    const word = String(params['additionalProperty']);
    const nearest = nearestName(word, known);
    return `"${shortened(word)}" is not known here: ${nearest === undefined ? `write one of ${known.join(', ')}` : `did you mean "${nearest}"?`}`;
  }
  return `${place} ${wordsOfKeyword(error)}.`;
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
