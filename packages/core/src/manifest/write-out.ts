import { isJsonArray, isJsonObject, typeOf, type Json, type JsonObject } from '../json.js';
import { seasonMistake } from '../boards/seasons.js';
import { isId } from '../keys/names.js';
import type {
  AttributeDeclaration,
  AttributeType,
  CheckpointsDeclaration,
  InventoryDeclaration,
  InventoryValue,
  ItemDeclaration,
  Manifest,
  Piece,
  RecordDeclaration,
  Schema,
  ScoreDeclaration,
  Together,
  TunableDeclaration,
} from './manifest.js';
import type { Complain, Path } from './mistake.js';
import { checkSchema, schemaMistakes } from './schema-check.js';
import { schemaContradictions } from './schema-contradictions.js';
import { schemaCostMistakes, type PatternsMet } from './schema-cost.js';
import { schemaNameMistakes } from './schema-names.js';
import { startingValueOf } from './starting-value.js';

/** The manifest with its short forms written out. The content has the right shape. */
export function writeOut(content: JsonObject, complain: Complain): Manifest {
  const records: { [key: string]: RecordDeclaration } = {};
  const items: { [name: string]: ItemDeclaration } = {};
  const tunables: { [name: string]: TunableDeclaration } = {};
  const attributes: { [name: string]: AttributeDeclaration } = {};
  const section = (name: string) => Object.entries((content[name] ?? {}) as JsonObject);
  for (const [name, short] of section('progress')) {
    const { long, declared } = writeOutSchema(['progress', name], short, complain);
    records[`progress/${name}`] = { kind: 'progress', ...common(long, 'none'), ...declared };
  }
  for (const [name, short] of section('preferences')) {
    const { long, declared } = writeOutSchema(['preferences', name], short, complain);
    records[`preference/${name}`] = { kind: 'preference', ...common(long, 'write'), ...declared };
  }
  for (const [name, short] of section('currencies')) {
    records[`currency/${name}`] = writeOutCurrency(name, short, complain);
  }
  for (const [name, item] of section('items')) items[name] = writeOutItem(name, item as JsonObject, complain);
  for (const [name, inventory] of section('inventories')) {
    records[`inventory/${name}`] = writeOutInventory(name, inventory as JsonObject, complain);
  }
  for (const [name, board] of section('boards')) {
    records[`score/${name}`] = writeOutBoard(name, board as JsonObject, complain);
  }
  for (const [name, short] of section('tunables')) {
    const { long, declared } = writeOutSchema(['tunables', name], short, complain);
    tunables[name] = { ...described(long), ...declared };
  }
  for (const [name, attribute] of section('attributes')) {
    const { from, path = '', type } = attribute as { from: string; path?: string; type?: AttributeType };
    attributes[name] = { ...described(attribute as JsonObject), ...(type === undefined ? { from, path } : { type }) };
  }
  const game = content['game'] as string;
  const checkpoints = content['checkpoints'] as Partial<CheckpointsDeclaration> | undefined;
  return {
    game,
    title: (content['title'] as string | undefined) ?? game,
    records,
    items,
    tunables,
    attributes,
    ...(checkpoints !== undefined && {
      checkpoints: {
        atMost: checkpoints.atMost ?? 1,
        by: checkpoints.by ?? 'player',
        records: checkpoints.records ?? [],
      },
    }),
  };
}

/** What everything that has a name may declare. */
function described(long: JsonObject) {
  return {
    ...(typeof long['about'] === 'string' && { about: long['about'] }),
    ...(isJsonArray(long['formerly']) && { formerly: long['formerly'] as readonly string[] }),
  };
}

/** What every record may declare. */
function common(long: JsonObject, player: 'none' | 'read' | 'write') {
  return {
    ...described(long),
    lasts: (long['lasts'] as 'always' | 'run' | undefined) ?? 'always',
    player: (long['player'] as 'none' | 'read' | 'write' | undefined) ?? player,
    others: (long['others'] as 'none' | 'read' | undefined) ?? 'none',
    ...(long['together'] !== undefined && { together: long['together'] as Together }),
    ...(isJsonObject(long['family']) && { family: { atMost: long['family']['atMost'] as number } }),
  } as const;
}

function writeOutCurrency(name: string, short: Json, complain: Complain): RecordDeclaration {
  const long = isJsonObject(short) ? short : { starting: short };
  const numbers = {
    starting: (long['starting'] as number | undefined) ?? 0,
    floor: (long['floor'] as number | undefined) ?? 0,
    ceiling: (long['ceiling'] as number | undefined) ?? Number.MAX_SAFE_INTEGER,
  };
  if (numbers.floor > numbers.ceiling) {
    complain(
      ['currencies', name],
      `The floor of "${name}" (${numbers.floor}) is above its ceiling (${numbers.ceiling}).`,
    );
  } else if (numbers.starting < numbers.floor || numbers.starting > numbers.ceiling) {
    complain(
      ['currencies', name],
      `"${name}" starts at ${numbers.starting}, which is not between its floor ${numbers.floor} and its ceiling ${numbers.ceiling}.`,
    );
  }
  const limit = long['creditLimit'] as { atMost: number; per: 'hour' } | undefined;
  return { kind: 'currency', ...common(long, 'read'), ...numbers, ...(limit !== undefined && { creditLimit: limit }) };
}

function writeOutItem(name: string, item: JsonObject, complain: Complain): ItemDeclaration {
  if (item['unique'] !== true) return { ...described(item), stack: item['stack'] as number };
  const traits = (item['traits'] as Schema | undefined) ?? { type: 'object' };
  const path = item['traits'] === undefined ? ['items', name] : ['items', name, 'traits'];
  const starting = startingOf(path, traits, complain, {});
  if (!isJsonObject(starting)) complain(path, `The traits of "${name}" must be an object: give them "properties".`);
  return { ...described(item), unique: true, traits, starting: isJsonObject(starting) ? starting : {} };
}

function writeOutInventory(name: string, inventory: JsonObject, complain: Complain): InventoryDeclaration {
  const starting = isJsonArray(inventory['starting']) ? inventory['starting'] : [];
  return {
    kind: 'inventory',
    ...common(inventory, 'read'),
    ...(typeof inventory['capacity'] === 'number' && { capacity: inventory['capacity'] }),
    ...(isJsonArray(inventory['accepts']) && { accepts: inventory['accepts'] as readonly string[] }),
    starting: startingInventory(['inventories', name, 'starting'], starting as readonly JsonObject[], complain),
  };
}

function startingInventory(path: Path, list: readonly JsonObject[], complain: Complain): InventoryValue {
  const stacks: { [item: string]: number } = {};
  const pieces: { [piece: string]: Piece } = {};
  for (const [index, one] of list.entries()) {
    const {
      item,
      count = 1,
      piece,
      traits = {},
    } = one as {
      item: string;
      count?: number;
      piece?: string;
      traits?: JsonObject;
    };
    if (piece === undefined) {
      stacks[item] = (stacks[item] ?? 0) + count;
      continue;
    }
    if (!isId(piece)) complain([...path, index, 'piece'], `"${piece}" can't be the id of a piece: it has no "/".`);
    else if (pieces[piece] !== undefined) complain([...path, index, 'piece'], `There is a piece "${piece}" already.`);
    else pieces[piece] = { item, traits };
  }
  return { stacks, pieces };
}

function writeOutBoard(name: string, board: JsonObject, complain: Complain): ScoreDeclaration {
  const { lowest, highest, unit, doubtful, entries, grace, rewards } = board as Partial<ScoreDeclaration>;
  const path = ['boards', name];
  if (lowest !== undefined && highest !== undefined && lowest > highest) {
    complain([...path, 'lowest'], `lowest (${lowest}) is above highest (${highest}).`);
  }
  for (const [word, bound] of Object.entries(doubtful ?? {})) {
    const isNever =
      word === 'above' ? highest !== undefined && bound >= highest : lowest !== undefined && bound <= lowest;
    if (isNever) {
      const limit = word === 'above' ? `highest (${highest})` : `lowest (${lowest})`;
      complain([...path, 'doubtful'], `No result can be doubtful: ${bound} is not within ${limit}.`);
    }
  }
  return {
    kind: 'score',
    ...common(board, 'read'),
    better: board['better'] as 'higher' | 'lower',
    counts: board['counts'] as 'best' | 'newest' | 'sum',
    season: seasonOf(board['season'] as string | undefined, path, complain),
    public: (board['public'] as boolean | undefined) ?? true,
    ...(grace !== undefined && { grace }),
    ...(rewards !== undefined && { rewards }),
    ...(unit !== undefined && { unit }),
    ...(lowest !== undefined && { lowest }),
    ...(highest !== undefined && { highest }),
    ...(doubtful !== undefined && { doubtful }),
    ...(entries !== undefined && { entries }),
  };
}

function seasonOf(season: string | undefined, path: Path, complain: Complain): string {
  if (season === undefined) return 'none';
  const mistake = seasonMistake(season);
  if (mistake === undefined) return season;
  complain([...path, 'season'], mistake);
  return 'none';
}

/** A declaration by schema, or by a bare value that stands for a schema with its type and starting value. */
function writeOutSchema(path: Path, short: Json, complain: Complain) {
  const long: JsonObject = isJsonObject(short) ? short : { starting: short };
  const { schema: given, starting: bare } = long;
  if ((given === undefined) === (bare === undefined)) {
    const what = given === undefined ? 'says neither' : 'says both';
    complain(path, `"${path[1]}" ${what}: a "schema", or a "starting" value that stands for one, is needed.`);
    return { long, declared: { schema: true, starting: null } };
  }
  const schema = given === undefined ? { type: typeOf(bare ?? null), default: bare ?? null } : (given as Schema);
  const at = isJsonObject(short) ? [...path, given === undefined ? 'starting' : 'schema'] : path;
  return { long, declared: { schema, starting: startingOf(at, schema, complain) ?? null } };
}

/** The starting value that a schema gives; complains of everything that is wrong with the schema. */
function startingOf(path: Path, schema: Schema, complain: Complain, otherwise?: Json): Json | undefined {
  const name = path[1];
  if (!complainOfSchema(path, schema, complain)) return otherwise;
  const starting = startingValueOf(schema) ?? otherwise;
  if (starting === undefined) complain(path, `"${name}" has no starting value: give its schema a "default".`);
  else {
    const mismatch = checkSchema(schema, starting);
    if (mismatch !== undefined) {
      complain(path, `The starting value of "${name}" does not fit its own schema: ${mismatch.detail}`);
    }
  }
  return starting;
}

/** Complains of everything that is wrong with a schema by itself. @returns is it right? */
export function complainOfSchema(path: Path, schema: Schema, complain: Complain): boolean {
  const costs = [
    ...schemaCostMistakes(schema, patternsOf(complain)),
    ...schemaNameMistakes(schema),
    ...schemaContradictions(schema),
  ];
  // What could be costly is not even compiled.
  const mistakes = costs.length > 0 ? costs : schemaMistakes(schema);
  for (const mistake of mistakes) complain([...path, ...mistake.path], mistake.detail);
  return mistakes.length === 0;
}

const patternsMet = new WeakMap<Complain, PatternsMet>();

/** All schemas of one manifest share what its patterns may cost. */
function patternsOf(complain: Complain): PatternsMet {
  const met = patternsMet.get(complain) ?? { unlike: 0, intricate: 0 };
  patternsMet.set(complain, met);
  return met;
}
