import { isJsonObject, nearestName, type Json } from '@vekkon/core';
import type { Draft } from '@vekkon/protocol';
import { WrongCommandLine } from '../exit-status.js';

/** A tunable of the draft. @throws WrongCommandLine with the nearest name */
export function tunableIn(draft: Draft, name: string): Draft['tunables'][string] {
  const found = Object.hasOwn(draft.tunables, name) ? draft.tunables[name] : undefined;
  if (found !== undefined) return found;
  const names = Object.keys(draft.tunables);
  const nearest = nearestName(name, names);
  const advice = nearest === undefined ? `there are ${names.join(', ') || 'none yet'}` : `did you mean "${nearest}"?`;
  throw new WrongCommandLine(`There is no tunable "${name}": ${advice}`);
}

/** A value as it was typed: a text where the schema takes texts, else JSON. */
export function valueFrom(text: string, schema: Json): Json {
  const type = isJsonObject(schema) ? schema['type'] : undefined;
  const isText = type === 'string' || (isJsonObject(schema) && isListOfTexts(schema['enum']));
  if (isText && !/^".*"$/.test(text)) return text;
  try {
    return JSON.parse(text) as Json;
  } catch {
    const wanted =
      typeof type === 'string' ? ` (it takes ${type === 'array' ? 'a list' : `a value of type ${type}`})` : '';
    throw new WrongCommandLine(
      `"${text}" is no JSON${wanted}: write it such as 1.25, true, "text" or '[{"item":"flare"}]'.`,
    );
  }
}

function isListOfTexts(choices: Json | undefined): boolean {
  return Array.isArray(choices) && choices.every((one) => typeof one === 'string');
}
