/** Writes many players into a data folder in bulk, each as one that was made by playing. */
import path from 'node:path';
import Database from 'better-sqlite3';
import { folded } from '@vekkon/core';

const first = [
  'Maren',
  'Tobin',
  'Isla',
  'Corin',
  'Wren',
  'Odile',
  'Pavel',
  'Sunniva',
  'Anouk',
  'Emeka',
  'Yusra',
  'Lin',
];
const last = [
  'Vane',
  'Holloway',
  'Skye',
  'Marsh',
  'Quill',
  'Ferro',
  'Ashdown',
  'Brandt',
  'Okafor',
  'Lindqvist',
  'Rowe',
];
const atATime = 5_000;

/** The name of the nth player that is made. */
export function nameOf(index: number): string {
  return `${first[index % first.length]} ${last[Math.floor(index / first.length) % last.length]} ${index.toString(36)}`;
}

/** The id of the nth. */
export function idOf(index: number): string {
  return `m-${String(index).padStart(7, '0')}`;
}

/**
 * Copies everything of one player so often, under other ids and names.
 *
 * @param template the id of a player who has left, in a folder on which no service runs
 */
export function makePlayers(folder: string, template: string, count: number): void {
  const database = new Database(path.join(folder, 'vekkon.sqlite'));
  database.pragma('journal_mode = WAL');
  database.pragma('synchronous = OFF');
  database.pragma('cache_size = -524288');
  const of = database.prepare('select * from players where id = ?').get(template) as {
    readonly number: number;
    readonly environment: number;
    readonly created_at: number;
    readonly fence: number;
    readonly seen: number;
  };
  const base = (database.prepare('select max(number) from players').pluck().get() as number) + 1;
  // The index of parts is made anew at the end: faster than entry by entry.
  const triggers = database
    .prepare("select name, sql from sqlite_master where type = 'trigger' and name like 'player_parts%'")
    .all() as readonly { readonly name: string; readonly sql: string }[];
  for (const { name } of triggers) database.exec(`drop trigger ${name}`);
  const player = database.prepare(
    'insert into players (number, environment, id, name, folded, created_at, first_joined_at, last_joined_at, last_left_at, fence, seen) values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
  );
  const numbers = 'with recursive numbers (n) as (select :from union all select n + 1 from numbers where n < :until)';
  const stays = database.prepare('select id, fence from sessions where player = ?').all(of.number) as readonly {
    readonly id: string;
    readonly fence: number;
  }[];
  const made = stays.map(({ id, fence }) => `when '${id}' then 'ses_made-' || n || '-${fence}'`).join(' ');
  const copies = ['records', 'history', 'ledger', 'sessions'].map((table) => {
    const columns = (database.pragma(`table_info(${table})`) as readonly { readonly name: string }[])
      .map(({ name }) => name)
      .filter((name) => table !== 'ledger' || name !== 'number');
    const taken = columns.map((name) => {
      if (name === 'player') return 'n';
      // What a digest is of holds the player's number: as one from before there were digests.
      if (name === 'digest') return 'null';
      return name === 'id' || name === 'session' ? `case ${name} ${made} end` : `"${name}"`;
    });
    const into = columns.map((name) => `"${name}"`).join(', ');
    return database.prepare(
      `${numbers} insert into ${table} (${into}) select ${taken.join(', ')} from numbers cross join ${table} where player = :template`,
    );
  });
  for (let from = 0; from < count; from += atATime) {
    const until = Math.min(from + atATime, count);
    database.exec('begin');
    for (let index = from; index < until; index++) {
      const [id, name] = [idOf(index), nameOf(index)];
      // Joined one after the other, in an order that is not that of their numbers.
      const at = of.created_at - ((index * 7_919) % count) * 1_000;
      player.run(base + index, of.environment, id, name, folded(id, name), at, at, at, at, of.fence, of.seen);
    }
    for (const copy of copies) copy.run({ from: base + from, until: base + until - 1, template: of.number });
    database.exec('commit');
    if (from % 50_000 === 0) process.stderr.write(`\r${until.toLocaleString('en')} players `);
  }
  database.exec("insert into player_parts (player_parts) values ('rebuild')");
  for (const { sql } of triggers) database.exec(sql);
  database.pragma('wal_checkpoint(truncate)');
  database.close();
  process.stderr.write('\r');
}
