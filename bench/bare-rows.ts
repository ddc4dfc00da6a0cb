/** The yardstick of bulk saves: better-sqlite3 alone, flushed at each commit, writing the rows of as many saves. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';

/**
 * Writes what saves write, for a while: per save two records with a revision
 * each, a ledger line, the session with its outcome, and the player. The
 * batches go round among as many players as the saves do that it stands beside.
 *
 * @param template a database with the tables, of which the first open sessions are taken
 * @param batches how many batches until it is the first players' turn again
 * @returns saves a second
 */
export function bareRowsPerSecond(template: string, batch: number, batches: number, milliseconds: number): number {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-bare-'));
  const source = new Database(template, { readonly: true });
  source.prepare('vacuum into ?').run(path.join(folder, 'bare.sqlite'));
  source.close();
  const database = new Database(path.join(folder, 'bare.sqlite'));
  for (const pragma of ['journal_mode = WAL', 'synchronous = FULL', 'secure_delete = ON', 'wal_autocheckpoint = 4000'])
    database.pragma(pragma);
  const sessions = database
    .prepare('select id, player from sessions where ended_at is null limit ?')
    .all(batch * batches) as readonly { readonly id: string; readonly player: number }[];
  const record = database.prepare(
    'insert into records (player, key, revision, value, removed, seen, changed_at) values (?, ?, ?, ?, 0, ?, ?) on conflict (player, key) do update set revision = excluded.revision, value = excluded.value, removed = excluded.removed, seen = excluded.seen, changed_at = excluded.changed_at',
  );
  const history = database.prepare(
    'insert into history (player, key, revision, value, removed, seen, at, session, "by", label, follows, digest) values (?, ?, ?, ?, 0, ?, ?, ?, ?, null, ?, ?)',
  );
  const ledger = database.prepare(
    'insert into ledger (player, key, at, op, amount, balance, reason, count, session, "by", label) values (?, ?, ?, ?, ?, ?, ?, 1, ?, ?, null)',
  );
  const session = database.prepare(
    'update sessions set next_save = ?, last_saved_at = ?, last_digest = ?, last_outcome = ?, answered = ? where id = ?',
  );
  const player = database.prepare('update players set seen = ? where number = ?');
  const digest = 'x'.repeat(43);
  const outcome = 'x'.repeat(220);
  let saves = 0;
  const since = performance.now();
  for (let number = 1_000_000; performance.now() - since < milliseconds; number++) {
    database.prepare('begin immediate').run();
    const from = (number % batches) * batch;
    for (const { id, player: one } of sessions.slice(from, from + batch)) {
      const at = Date.now();
      for (const key of ['progress/climbs', 'currency/opal']) {
        record.run(one, key, number, String(number), number, at);
        history.run(one, key, number, String(number), number, at, id, 'ridge-eu-1', number - 1, digest);
      }
      ledger.run(one, 'currency/opal', at, 'credit', 1, number, 'climb', id, 'ridge-eu-1');
      session.run(number, at, digest, outcome, number - 1, id);
      player.run(number, one);
      saves++;
    }
    database.prepare('commit').run();
  }
  const seconds = (performance.now() - since) / 1000;
  database.close();
  rmSync(folder, { recursive: true });
  return saves / seconds;
}
