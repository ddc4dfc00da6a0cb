import {
  isJsonArray,
  isJsonObject,
  isUnique,
  type Json,
  type Manifest,
  type RecordDeclaration,
  type Schema,
} from '@vekkon/core';
import { startingValueOf } from '@vekkon/core';
import { compile, type JSONSchema } from 'json-schema-to-typescript';

/**
 * Types of what a game declares, for `VekkonHost<…>`: names are completed and
 * values are checked by the compiler.
 *
 * @returns the text of a declaration file
 */
export async function typescriptOf(manifest: Manifest, file: string): Promise<string> {
  const types = new Types();
  const ofKind = (kind: RecordDeclaration['kind']) =>
    Object.entries(manifest.records).flatMap(([key, declaration]) =>
      declaration.kind === kind ? [[key.slice(kind.length + 1), declaration] as const] : [],
    );
  const game = pascal(manifest.game);
  const progress: string[] = [];
  const preferences: string[] = [];
  const pieces: string[] = [];
  const tunables: string[] = [];
  for (const [name, declaration] of ofKind('progress')) {
    if (declaration.kind !== 'progress') continue;
    const type = await types.add(`${pascal(name)}Progress`, declaration.schema, declaration.about);
    const about = commentOf(declaration.about);
    progress.push(
      declaration.family === undefined
        ? `${about}readonly '${name}': ${type};`
        : `${about}readonly [one: \`${name}/\${string}\`]: ${type};`,
    );
  }
  for (const [name, declaration] of ofKind('preference')) {
    if (declaration.kind !== 'preference') continue;
    const type = await types.add(`${pascal(name)}Preference`, declaration.schema, declaration.about);
    preferences.push(`${commentOf(declaration.about)}readonly '${name}': ${type};`);
  }
  for (const [name, item] of Object.entries(manifest.items)) {
    if (!isUnique(item)) continue;
    pieces.push(
      `${commentOf(item.about)}readonly '${name}': ${await types.add(`${pascal(name)}Traits`, item.traits, item.about)};`,
    );
  }
  for (const [name, { schema, about }] of Object.entries(manifest.tunables)) {
    tunables.push(
      `${commentOf(about)}readonly '${name}': ${await types.add(`${pascal(name)}Tunable`, schema, about)};`,
    );
  }
  const names = (list: readonly string[]) => (list.length === 0 ? 'never' : list.map((one) => `'${one}'`).join(' | '));
  const stacks = Object.entries(manifest.items).flatMap(([name, item]) => (isUnique(item) ? [] : [name]));
  const boards = ofKind('score').map(([name, { family }]) =>
    family === undefined ? `'${name}'` : `\`${name}/\${string}\``,
  );
  const members = [
    `readonly progress: ${body(progress)};`,
    `readonly preferences: ${body(preferences)};`,
    `readonly currencies: ${names(ofKind('currency').map(([name]) => name))};`,
    `readonly inventories: ${names(ofKind('inventory').map(([name]) => name))};`,
    `readonly stacks: ${names(stacks)};`,
    `readonly pieces: ${body(pieces)};`,
    `readonly boards: ${boards.length === 0 ? 'never' : boards.join(' | ')};`,
    `readonly tunables: ${body(tunables)};`,
  ];
  const head = `// Written by "vekkon manifest types" from ${file}. Write it again when the manifest changes; changes made here are lost.\n`;
  const whole = `/** What ${manifest.title.replaceAll('*/', '*\\/')} declares: new VekkonHost<${game}>(…). */\nexport interface ${game} {\n${indent(members.join('\n'))}\n}\n`;
  return `${head}\n${whole}\n${types.text}`;
}

function body(lines: readonly string[]): string {
  return lines.length === 0 ? '{}' : `{\n${indent(lines.join('\n'))}\n}`;
}

function indent(text: string): string {
  return text.replaceAll(/^(?=.)/gm, '  ');
}

function commentOf(about: string | undefined): string {
  return about === undefined ? '' : `/** ${about.replaceAll('*/', '*\\/').replaceAll('\n', ' ')} */\n`;
}

/** `gorge-run` as `GorgeRun`. */
function pascal(name: string): string {
  return name.replaceAll(/(^|-)([a-z0-9])/g, (_, _dash, letter: string) => letter.toUpperCase());
}

/** The types of values, each written once. */
class Types {
  text = '';

  /** @returns the name of the type, or the type itself where it is a short one */
  async add(name: string, schema: Schema, about: string | undefined): Promise<string> {
    const short = shortTypeOf(schema);
    if (short !== undefined) return short;
    const whole = {
      ...(filledIn(schema) as JSONSchema),
      title: name,
      ...(about !== undefined && { description: about }),
    };
    const written = await compile(whole, name, {
      bannerComment: '',
      additionalProperties: false,
      ignoreMinAndMaxItems: true,
      // What the manifest's check lets through refers to itself only; nothing is fetched.
      $refOptions: { resolve: { external: false } },
      style: { singleQuote: true, printWidth: 120 },
    });
    this.text += `${written}\n`;
    return name;
  }
}

function shortTypeOf(schema: Schema): string | undefined {
  if (!isJsonObject(schema)) return 'unknown';
  const { type } = schema;
  if (isJsonArray(schema['enum']))
    return schema['enum'].map((one) => JSON.stringify(one).replaceAll('"', "'")).join(' | ');
  if (type === 'number' || type === 'integer') return 'number';
  if (type === 'boolean' || type === 'string') return type;
  return undefined;
}

/** The schema of what is read: fields that have a starting value are always there. */
function filledIn(schema: Json): Json {
  if (isJsonArray(schema)) return schema.map(filledIn);
  if (!isJsonObject(schema)) return schema;
  const { formerly: _, default: _default, ...words } = schema;
  const filled = Object.fromEntries(Object.entries(words).map(([word, inner]) => [word, filledIn(inner)]));
  const { properties } = schema;
  if (!isJsonObject(properties)) return filled;
  const started = Object.entries(properties).flatMap(([name, field]) =>
    isJsonObject(field) && startingValueOf(field) !== undefined ? name : [],
  );
  const required = isJsonArray(schema['required']) ? schema['required'] : [];
  return {
    ...filled,
    properties: Object.fromEntries(Object.entries(properties).map(([name, field]) => [name, filledIn(field)])),
    required: [...new Set([...required, ...started])],
  };
}
