import { existsSync } from 'node:fs';
import path from 'node:path';
import { currentKey, type Manifest } from '@vekkon/core';
import { sql, type Kysely } from 'kysely';
import { openSqliteToRead } from './engines/sqlite/sqlite-engine.js';
import { newestMigration } from './migrations/index.js';
import { Manifests } from './manifests.js';
import type { EnvironmentRow, PlayerRow, Tables } from './tables.js';

/** What was looked at in a data folder, and what is wrong in it. */
export interface Verified {
  readonly players: number;
  readonly records: number;
  readonly ledgerLines: number;
  readonly faults: readonly { readonly environment: string; readonly player: string; readonly detail: string }[];
}

/**
 * Checks that what is stored agrees with itself: the database is whole, each
 * balance is the sum of its ledger, each ledger line follows from the one
 * before, and each record is the newest revision in its history.
 *
 * Reads one moment of the folder; a service may run on it meanwhile.
 *
 * @param onPlayer told of each player, for a progress bar
 * @throws if the folder holds no data of this version
 */
export async function verifyStore(
  folder: string,
  onPlayer: (done: number, total: number) => void = () => undefined,
): Promise<Verified> {
  const file = path.join(folder, 'vekkon.sqlite');
  if (!existsSync(file)) throw new Error(`${folder} holds no vekkon.sqlite: name the data folder of a service.`);
  const db = openSqliteToRead(file);
  try {
    await sql`begin`.execute(db);
    await checkMigration(db, folder);
    const faults: Verified['faults'][number][] = [];
    for (const detail of await brokenPages(db)) faults.push({ environment: '–', player: '–', detail });
    let [players, records, ledgerLines] = [0, 0, 0];
    const manifests = new Manifests(db);
    const { total } = await db
      .selectFrom('players')
      .select((select) => select.fn.countAll<number>().as('total'))
      .executeTakeFirstOrThrow();
    for (const environment of await db.selectFrom('environments').selectAll().orderBy('number').execute()) {
      const manifest = await manifestOf(manifests, environment);
      for await (const player of playersOf(db, environment.number)) {
        const found = await verifyPlayer(db, player, manifest);
        const place = `${environment.game}/${environment.name}`;
        for (const detail of found.faults) faults.push({ environment: place, player: player.id, detail });
        players++;
        records += found.records;
        ledgerLines += found.ledgerLines;
        onPlayer(players, total);
      }
    }
    return { players, records, ledgerLines, faults };
  } finally {
    await db.destroy();
  }
}

async function checkMigration(db: Kysely<Tables>, folder: string): Promise<void> {
  const { rows } = await sql<{ name: string }>`select name from kysely_migration order by name desc limit 1`.execute(
    db,
  );
  const found = rows[0]?.name;
  if (found === newestMigration) return;
  throw new Error(
    `${folder} stands at ${found ?? 'no migration'}, and this version reads ${newestMigration}: start the service on it once, or use the version that wrote it.`,
  );
}

async function brokenPages(db: Kysely<Tables>): Promise<readonly string[]> {
  const { rows } = await sql<{ integrity_check: string }>`pragma integrity_check`.execute(db);
  const found = rows.map((row) => row.integrity_check).filter((one) => one !== 'ok');
  return found.map((one) => `the database: ${one}`);
}

async function manifestOf(manifests: Manifests, environment: EnvironmentRow): Promise<Manifest | undefined> {
  if (environment.manifest_version === null) return undefined;
  return (await manifests.newestOf(environment)).rules.manifest;
}

const playersAtATime = 200;

async function* playersOf(db: Kysely<Tables>, environment: number): AsyncGenerator<PlayerRow> {
  let after = 0;
  for (;;) {
    const page = await db
      .selectFrom('players')
      .selectAll()
      .where('environment', '=', environment)
      .where('number', '>', after)
      .orderBy('number')
      .limit(playersAtATime)
      .execute();
    yield* page;
    after = page.at(-1)?.number ?? after;
    if (page.length < playersAtATime) return;
  }
}

async function verifyPlayer(db: Kysely<Tables>, player: PlayerRow, manifest: Manifest | undefined) {
  const faults: string[] = [];
  const nameOf = (key: string) => (manifest === undefined ? key : currentKey(key, manifest));
  const records = await db.selectFrom('records').selectAll().where('player', '=', player.number).execute();
  const lines = await db
    .selectFrom('ledger')
    .selectAll()
    .where('player', '=', player.number)
    .orderBy('number')
    .execute();
  const balances = new Map<string, number>();
  for (const line of lines) {
    const key = nameOf(line.key);
    const before = balances.get(key) ?? 0;
    if (before + line.amount !== line.balance) {
      faults.push(`ledger line ${line.number} of ${key}: ${before} and ${line.amount} is not ${line.balance}`);
    }
    balances.set(key, line.balance);
  }
  for (const { key, revision, value, removed, seen } of records) {
    if (key.startsWith('currency/')) {
      const sum = balances.get(nameOf(key)) ?? 0;
      const held = removed === 1 ? 0 : Number(value);
      if (held !== sum) faults.push(`${key} holds ${held}, and its ledger's sum is ${sum}`);
    }
    const newest = await db
      .selectFrom('history')
      .select(['value', 'removed'])
      .where('player', '=', player.number)
      .where('key', '=', key)
      .where('revision', '=', revision)
      .executeTakeFirst();
    if (newest?.value !== value || newest.removed !== removed) {
      faults.push(`${key}: revision ${revision} is not what its history has`);
    }
    if (seen > player.seen) faults.push(`${key} was written at commit ${seen}, and the player is at ${player.seen}`);
    if (!isJson(value)) faults.push(`${key} holds what is not JSON`);
  }
  return { faults, records: records.length, ledgerLines: lines.length };
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}
