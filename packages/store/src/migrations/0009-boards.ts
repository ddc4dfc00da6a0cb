import { sql, type Kysely } from 'kysely';
import { worthOf, type Manifest, type ScoreDeclaration, type ScoreValue } from '@vekkon/core';

const rowsAtATime = 1_000;

/** Boards with their seasons and standings, what a person must look at, and what was given. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema
    .createTable('boards')
    .addColumn('number', sql`integer`, (column) => column.primaryKey().autoIncrement())
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('created_at', 'integer', (column) => column.notNull())
    .addUniqueConstraint('boards_by_key', ['environment', 'key'])
    .execute();
  await db.schema
    .createTable('seasons')
    .addColumn('board', 'integer', (column) => column.notNull())
    .addColumn('number', 'integer', (column) => column.notNull())
    .addColumn('season', 'text', (column) => column.notNull())
    .addColumn('better', 'text', (column) => column.notNull())
    .addColumn('counts', 'text', (column) => column.notNull())
    .addColumn('opened_at', 'integer', (column) => column.notNull())
    .addColumn('turns_at', 'integer')
    .addColumn('turned_at', 'integer')
    .addColumn('closes_at', 'integer')
    .addColumn('closed_at', 'integer')
    .addColumn('closed_by', 'text')
    .addColumn('reason', 'text')
    .addColumn('standings', 'integer', (column) => column.notNull().defaultTo(0))
    .addColumn('rewards', 'text')
    .addColumn('ranked', 'integer', (column) => column.notNull().defaultTo(0))
    .addColumn('given', 'integer', (column) => column.notNull().defaultTo(0))
    .addColumn('done_at', 'integer')
    .addPrimaryKeyConstraint('seasons_key', ['board', 'number'])
    .execute();
  await db.schema
    .createTable('standings')
    .addColumn('board', 'integer', (column) => column.notNull())
    .addColumn('season', 'integer', (column) => column.notNull())
    .addColumn('player', 'integer', (column) => column.notNull())
    .addColumn('value', 'real', (column) => column.notNull())
    .addColumn('worth', 'real', (column) => column.notNull())
    .addColumn('reached', 'integer', (column) => column.notNull())
    .addColumn('rank', 'integer')
    .addPrimaryKeyConstraint('standings_key', ['board', 'season', 'player'])
    .execute();
  await db.schema
    .createTable('set_aside')
    .addColumn('board', 'integer', (column) => column.notNull())
    .addColumn('season', 'integer', (column) => column.notNull())
    .addColumn('player', 'integer', (column) => column.notNull())
    .addColumn('value', 'real', (column) => column.notNull())
    .addColumn('reached', 'integer', (column) => column.notNull())
    .addColumn('why', 'text', (column) => column.notNull())
    .addColumn('reason', 'text', (column) => column.notNull())
    .addColumn('by', 'text', (column) => column.notNull())
    .addColumn('at', 'integer', (column) => column.notNull())
    .addPrimaryKeyConstraint('set_aside_key', ['board', 'season', 'player'])
    .execute();
  await db.schema
    .createTable('barred')
    .addColumn('board', 'integer', (column) => column.notNull())
    .addColumn('player', 'integer', (column) => column.notNull())
    .addColumn('reason', 'text', (column) => column.notNull())
    .addColumn('by', 'text', (column) => column.notNull())
    .addColumn('at', 'integer', (column) => column.notNull())
    .addPrimaryKeyConstraint('barred_key', ['board', 'player'])
    .execute();
  await db.schema
    .createTable('doubtful')
    .addColumn('number', sql`integer`, (column) => column.primaryKey().autoIncrement())
    .addColumn('environment', 'integer', (column) => column.notNull())
    .addColumn('board', 'integer', (column) => column.notNull())
    .addColumn('key', 'text', (column) => column.notNull())
    .addColumn('player', 'integer', (column) => column.notNull())
    .addColumn('value', 'real', (column) => column.notNull())
    .addColumn('at', 'integer', (column) => column.notNull())
    .addColumn('name', 'text')
    .addColumn('note', 'text')
    .addColumn('session', 'text')
    .addColumn('host', 'text')
    .addColumn('save_number', 'integer')
    .addColumn('before', 'text', (column) => column.notNull())
    .addColumn('state', 'text', (column) => column.notNull())
    .addColumn('decided_at', 'integer')
    .addColumn('decided_by', 'text')
    .addColumn('reason', 'text')
    .execute();
  await db.schema
    .createTable('rewards')
    .addColumn('board', 'integer', (column) => column.notNull())
    .addColumn('season', 'integer', (column) => column.notNull())
    .addColumn('player', 'integer', (column) => column.notNull())
    .addColumn('rank', 'integer', (column) => column.notNull())
    .addColumn('line', 'integer', (column) => column.notNull())
    .addColumn('at', 'integer', (column) => column.notNull())
    .addColumn('problem', 'text')
    .addPrimaryKeyConstraint('rewards_key', ['board', 'season', 'player'])
    .execute();
  const index = (name: string, table: string, columns: readonly string[]) =>
    db.schema
      .createIndex(name)
      .on(table)
      .columns([...columns]);
  await index('standings_in_order', 'standings', ['board', 'season', 'worth', 'reached', 'player']).execute();
  await index('standings_by_player', 'standings', ['player']).execute();
  await index('set_aside_by_player', 'set_aside', ['player']).execute();
  await index('barred_by_player', 'barred', ['player']).execute();
  await index('doubtful_by_time', 'doubtful', ['environment', 'state', 'number']).execute();
  await index('doubtful_by_player', 'doubtful', ['player']).execute();
  await index('rewards_by_player', 'rewards', ['player']).execute();
  await index('standings_by_rank', 'standings', ['board', 'season', 'rank'])
    .where(sql<boolean>`rank is not null`)
    .execute();
  await index('seasons_to_turn', 'seasons', ['turns_at'])
    .where(sql<boolean>`turned_at is null and turns_at is not null`)
    .execute();
  await index('seasons_to_close', 'seasons', ['closes_at'])
    .where(sql<boolean>`closed_at is null and closes_at is not null`)
    .execute();
  await index('seasons_to_finish', 'seasons', ['closed_at'])
    .where(sql<boolean>`closed_at is not null and done_at is null`)
    .execute();
  await fillBoardsWithoutSeasons(db as Kysely<Before>);
  await sql`update seasons set standings = (
    select count(*) from standings where standings.board = seasons.board and standings.season = seasons.number)`.execute(
    db,
  );
}

interface Before {
  environments: { number: number; manifest_version: number | null };
  manifests: { environment: number; version: number; manifest: string };
  players: { number: number; environment: number };
  records: { player: number; key: string; value: string; removed: number; changed_at: number };
  boards: { number: number | undefined; environment: number; key: string; created_at: number };
  seasons: {
    board: number;
    number: number;
    season: string;
    better: string;
    counts: string;
    opened_at: number;
  };
  standings: { board: number; season: number; player: number; value: number; worth: number; reached: number };
}

/** On a board that never starts anew, what was reached before there were boards counts. */
async function fillBoardsWithoutSeasons(db: Kysely<Before>): Promise<void> {
  const environments = await db
    .selectFrom('environments')
    .innerJoin('manifests', (on) =>
      on
        .onRef('manifests.environment', '=', 'environments.number')
        .onRef('manifests.version', '=', 'environments.manifest_version'),
    )
    .select(['environments.number', 'manifests.manifest'])
    .execute();
  for (const { number, manifest } of environments) {
    const { records } = JSON.parse(manifest) as Pick<Manifest, 'records'>;
    const boards = Object.entries(records).flatMap(([key, one]) =>
      one.kind === 'score' && one.public && hasNoSeasons(one) ? [[key, { ...one, season: 'none' }] as const] : [],
    );
    if (boards.length > 0) await fill(db, number, new Map(boards));
  }
}

/** Before there were seasons, none was said. */
function hasNoSeasons({ season }: Partial<ScoreDeclaration>): boolean {
  return season === undefined || season === 'none';
}

async function fill(
  db: Kysely<Before>,
  environment: number,
  declared: ReadonlyMap<string, ScoreDeclaration>,
): Promise<void> {
  const boards = new Map<string, number>();
  for (let after = 0; ;) {
    const players = await db
      .selectFrom('players')
      .select('number')
      .where('environment', '=', environment)
      .where('number', '>', after)
      .orderBy('number')
      .limit(rowsAtATime)
      .execute();
    const last = players.at(-1)?.number;
    if (last === undefined) return;
    const rows = await db
      .selectFrom('records')
      .innerJoin('players', 'players.number', 'records.player')
      .select(['records.player', 'key', 'value', 'changed_at'])
      .where('players.environment', '=', environment)
      .where('players.number', '>', after)
      .where('players.number', '<=', last)
      .where('records.removed', '=', 0)
      .where('key', '>=', 'score/')
      .where('key', '<', 'score0')
      .execute();
    for (const { player, key, value, changed_at: changedAt } of rows) {
      const declaration = declared.get(key.split('/').slice(0, 2).join('/'));
      if (declaration === undefined) continue;
      const reached = reachedIn(JSON.parse(value) as Partial<ScoreValue>, declaration);
      if (reached === undefined) continue;
      const board = boards.get(key) ?? (await addBoard(db, environment, key, declaration, changedAt));
      boards.set(key, board);
      const worth = worthOf(reached.value, declaration.better);
      const at = reached.at === null ? changedAt : Date.parse(reached.at);
      const row = { board, season: 1, player, value: reached.value, worth, reached: at };
      await db.insertInto('standings').values(row).execute();
    }
    after = last;
  }
}

function reachedIn({ best, latest, sum, count, bestAt, latestAt }: Partial<ScoreValue>, { counts }: ScoreDeclaration) {
  const [value, at] = counts === 'best' ? [best, bestAt] : counts === 'newest' ? [latest, latestAt] : [sum, latestAt];
  if (typeof value !== 'number' || count === undefined || count === 0) return undefined;
  return { value, at: at ?? null };
}

async function addBoard(
  db: Kysely<Before>,
  environment: number,
  key: string,
  { season, better, counts }: ScoreDeclaration,
  at: number,
): Promise<number> {
  const { number } = await db
    .insertInto('boards')
    .values({ number: undefined, environment, key: key.slice('score/'.length), created_at: at })
    .returning('number')
    .executeTakeFirstOrThrow();
  const board = Number(number);
  await db.insertInto('seasons').values({ board, number: 1, season, better, counts, opened_at: at }).execute();
  return board;
}
