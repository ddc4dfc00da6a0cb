import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import { DummyDriver, Kysely, PostgresAdapter, PostgresIntrospector, PostgresQueryCompiler } from 'kysely';
import { parseSync, loadModule } from 'libpg-query';
import { expect } from 'chai';
import { openSqlite, type SqliteEngine } from '../src/engines/sqlite/sqlite-engine.js';
import { keptQueries } from '../src/kept-query.js';
import { migrate } from '../src/migrations/index.js';
import '../src/store.js';
import { pruneSteps } from '../src/writer/commands/prune.js';
import '../src/writer/commands/index.js';
import type { Tables } from '../src/tables.js';
import { TrustedTime } from '../src/writer/trusted-time.js';
import { writerHere } from '../src/writer/writer.js';

/** What grows with the number of players, sessions, ledger lines or revisions. */
const growing =
  /SCAN (players|records|history|ledger|sessions|trash|checkpoints|devices|credentials|once_tokens|unsettled|credited|late_saves|save_outcomes|outside_requests|outside_changes|activity|host_instances|trial_players)\b/;

describe('the queries on the way of a call', () => {
  let folder: string;
  let engine: SqliteEngine;
  let database: Database.Database;
  before(async () => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-queries-'));
    engine = openSqlite(folder);
    await migrate(engine.writing);
    engine.indexPlayerParts();
    engine.countCommits();
    database = new Database(path.join(folder, 'vekkon.sqlite'));
  });
  after(async () => {
    database.close();
    await engine.close(0);
    rmSync(folder, { recursive: true });
  });

  const planOf = (sql: string): string => {
    const places = (sql.match(/\?/g) ?? []).map(() => null);
    const steps = database.prepare(`explain query plan ${sql}`).all(places) as readonly { readonly detail: string }[];
    return steps.map(({ detail }) => detail).join('; ');
  };

  it('are many', () => expect(keptQueries).to.have.length.greaterThan(30));

  it('are found by an index, and walk nothing that grows', () => {
    for (const compiled of keptQueries) {
      const { sql } = compiled(engine.writing).query;
      const plan = planOf(sql);
      expect(growing.test(plan) ? `${sql} → ${plan}` : '', sql).to.equal('');
    }
  });

  it('are understood by PostgreSQL too', async () => {
    await loadModule();
    const postgres = new Kysely<Tables>({
      dialect: {
        createAdapter: () => new PostgresAdapter(),
        createDriver: () => new DummyDriver(),
        createIntrospector: (db) => new PostgresIntrospector(db),
        createQueryCompiler: () => new PostgresQueryCompiler(),
      },
    });
    for (const compiled of keptQueries) {
      const { sql } = compiled(postgres).query;
      expect(() => parseSync(sql), sql).to.not.throw();
      expect(sql).to.not.match(/\?|rowid|pragma/);
    }
    expect(() => parseSync('select * from players where folded glob ?')).to.throw();
  });

  it('prune what is outdated by an index', async () => {
    const clock = { now: () => Date.parse('2026-11-23T12:00:00Z'), monotonic: () => 0 };
    const statements: string[] = [];
    const writer = writerHere(spied(statements), clock, new TrustedTime(undefined, clock.now(), 0));
    for (const step of pruneSteps) await writer.do('prune', { step, after: 0, atMost: 10 });
    const pruning = statements.filter((sql) => /^(delete|select|update)/.test(sql));
    expect(pruning.length).to.be.at.least(pruneSteps.length);
    for (const sql of pruning) {
      const plan = planOf(sql);
      expect(growing.test(plan) ? `${sql} → ${plan}` : '').to.equal('');
    }
  });

  /** The engine, whose statements are noted. */
  function spied(statements: string[]): SqliteEngine {
    const db = engine.writing;
    const withPlugin = db.withPlugin({
      transformQuery: ({ node }) => {
        statements.push(db.getExecutor().compileQuery(node, { queryId: 'noted' }).sql);
        return node;
      },
      transformResult: async ({ result }) => result,
    });
    return { ...engine, writing: withPlugin };
  }
});
