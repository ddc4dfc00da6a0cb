import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { openSqlite, type SqliteEngine } from '../src/engines/sqlite/sqlite-engine.js';
import { migrate } from '../src/migrations/index.js';

const token = 'insert into "once_tokens" ("player", "token", "at") values (?, ?, ?)';

describe('a statement that is taken for later', () => {
  let folder: string;
  let engine: SqliteEngine;
  before(async () => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-later-'));
    engine = openSqlite(folder);
    await migrate(engine.writing);
    const game = { game: 'highfell-gliders', name: 'dev', is_live: 0, lease_seconds: 60, created_at: 0 };
    await engine.writing.insertInto('environments').values(game).execute();
    const player = { environment: 1, id: 'p-1', name: null, folded: 'p-1', created_at: 0, fence: 0, seen: 0 };
    await engine.writing.insertInto('players').values(player).execute();
  });
  after(async () => {
    await engine.close(0);
    rmSync(folder, { recursive: true });
  });
  beforeEach(() => engine.writing.deleteFrom('once_tokens').execute());

  const tokens = async (): Promise<readonly string[]> => {
    const rows = await engine.writing.selectFrom('once_tokens').select('token').orderBy('token').execute();
    return rows.map((row) => row.token);
  };
  const take = (name: string) => {
    engine.later(token, [1, name, 0]);
  };
  /** A transaction of parts; those that throw are undone by themselves. @returns what became of each, of the last try */
  const transact = async (...parts: readonly (() => Promise<void> | void)[]) => {
    let tries = 0;
    const outcomes = await engine.transact(
      async () => {
        tries++;
        const met: string[] = [];
        for (const part of parts) {
          try {
            await engine.part(async () => part());
            met.push('applied');
          } catch (error) {
            if (engine.hasFailed(error)) throw error;
            met.push((error as Error).message);
          }
        }
        return met;
      },
      () => 0,
    );
    return { outcomes, tries };
  };
  const refuse = () => {
    throw new Error('refused');
  };

  it('is carried out with the commit, and before whatever is asked next', async () => {
    const found: (readonly string[])[] = [];
    await transact(
      () => {
        take('a');
      },
      async () => {
        take('b');
        found.push(await tokens());
        take('c');
      },
    );
    expect(found).to.deep.equal([['a', 'b']]);
    expect(await tokens()).to.deep.equal(['a', 'b', 'c']);
  });

  it('is forgotten with its part that is refused, and nothing is played again for it', async () => {
    const { outcomes, tries } = await transact(
      () => {
        take('a');
      },
      () => {
        take('b');
        refuse();
      },
      () => {
        take('c');
      },
    );
    expect(outcomes).to.deep.equal(['applied', 'refused', 'applied']);
    expect(tries).to.equal(1);
    expect(await tokens()).to.deep.equal(['a', 'c']);
  });

  it('is undone with its part where it was carried out before that was refused', async () => {
    const { outcomes, tries } = await transact(
      () => {
        take('a');
      },
      async () => {
        // What an earlier part took is carried out in this one: this one wrote nothing, and is refused for free.
        await tokens();
        refuse();
      },
      async () => {
        await tokens();
        take('b');
        await tokens();
        take('c');
        refuse();
      },
      () => {
        take('d');
      },
    );
    expect(outcomes).to.deep.equal(['applied', 'refused', 'refused', 'applied']);
    expect(tries).to.equal(2);
    expect(await tokens()).to.deep.equal(['a', 'd']);
  });

  it('that fails makes its own part fail, and no other, whoever asks next', async () => {
    const failing = [
      () => {
        take('a');
      },
      () => {
        take('a');
      },
      async () => {
        await tokens();
        take('b');
      },
    ];
    const { outcomes } = await transact(...failing);
    expect(outcomes).to.deep.equal([
      'applied',
      'UNIQUE constraint failed: once_tokens.player, once_tokens.token',
      'applied',
    ]);
    expect(await tokens()).to.deep.equal(['a', 'b']);
  });

  it('that fails in the last part makes that one fail', async () => {
    const { outcomes } = await transact(
      () => {
        take('a');
      },
      () => {
        take('b');
        take('b');
      },
    );
    expect(outcomes[0]).to.equal('applied');
    expect(outcomes[1]).to.match(/UNIQUE/);
    expect(await tokens()).to.deep.equal(['a']);
  });

  it('is forgotten where the transaction fails', async () => {
    const cut = new Error('the disk is gone');
    const failed = await engine
      .transact(
        async () => {
          take('a');
          await Promise.resolve();
          throw cut;
        },
        () => 0,
      )
      .catch((error: unknown) => error);
    expect(failed).to.equal(cut);
    await transact(() => {
      take('b');
    });
    expect(await tokens()).to.deep.equal(['b']);
  });
});
