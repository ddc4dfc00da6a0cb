import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import fc from 'fast-check';
import { expect } from 'chai';
import { highfell } from '../../core/test/highfell.js';
import { openSqlite, type SqliteEngine } from '../src/engines/sqlite/sqlite-engine.js';
import type { FeedEvent } from '../src/feed.js';
import { migrate } from '../src/migrations/index.js';
import { TrustedTime } from '../src/writer/trusted-time.js';
import { Held } from '../src/writer/held.js';
import { NotedMap, Notes } from '../src/writer/undoable.js';
import { writerHere, type Writer } from '../src/writer/writer.js';
import { plainEnvironment, plainJoin } from './plain.js';

type Step =
  | { readonly do: 'set' | 'set last'; readonly key: number; readonly value: number }
  | { readonly do: 'delete'; readonly key: number }
  | { readonly do: 'begin' | 'undo' | 'keep' };

const key = fc.integer({ min: 0, max: 4 });
const steps = fc.array(
  fc.oneof(
    fc.record({ do: fc.constantFrom('set' as const, 'set last' as const), key, value: fc.integer() }),
    fc.record({ do: fc.constant('delete' as const), key }),
    fc.record({ do: fc.constantFrom('begin' as const, 'undo' as const, 'keep' as const) }),
  ),
  { maxLength: 40 },
);

describe('what is taken note of in memory', () => {
  it('is as if what was undone had never been, and everything else had', () => {
    fc.assert(
      fc.property(steps, (made: readonly Step[]) => {
        const notes = new Notes();
        const noted = new NotedMap<number, number>(notes);
        let plain = new Map<number, number>();
        const begun: { readonly mark: number; readonly then: Map<number, number> }[] = [];
        for (const step of made) {
          if (step.do === 'set' || step.do === 'set last') {
            if (step.do === 'set') noted.set(step.key, step.value);
            else noted.setLast(step.key, step.value);
            plain.set(step.key, step.value);
          } else if (step.do === 'delete') {
            noted.delete(step.key);
            plain.delete(step.key);
          } else if (step.do === 'begin') begun.push({ mark: notes.begin(), then: new Map(plain) });
          else if (step.do === 'keep') {
            notes.keep();
            begun.length = 0;
          } else {
            const last = begun.pop();
            if (last === undefined) continue;
            notes.undo(last.mark);
            plain = last.then;
          }
        }
        for (let one = 0; one < 5; one++) expect(noted.get(one)).to.equal(plain.get(one));
        expect([noted.size, [...noted.keys()].sort()]).to.deep.equal([plain.size, [...plain.keys()].sort()]);
      }),
      { numRuns: 2_000 },
    );
  });
});

describe('what is held', () => {
  const held = fc.array(
    fc.oneof(
      fc.record({ do: fc.constant('keep' as const), key, bytes: fc.integer({ min: 1, max: 60 }) }),
      fc.record({ do: fc.constantFrom('forget' as const, 'look' as const), key }),
      fc.record({ do: fc.constantFrom('begin' as const, 'undo' as const) }),
    ),
    { maxLength: 40 },
  );

  it('is what was kept last, as much of it as there is room for, and as before where that is undone', () => {
    fc.assert(
      fc.property(held, (made) => {
        const notes = new Notes();
        const kept = new Held<number, { readonly bytes: number }>(notes, 100);
        const all = () => [0, 1, 2, 3, 4].map((one) => kept.of(one)?.bytes);
        let begun: { readonly mark: number; readonly then: readonly (number | undefined)[] } | undefined;
        for (const step of made) {
          if (step.do === 'keep') {
            kept.keep(step.key, { bytes: step.bytes });
            expect(kept.of(step.key)).to.deep.equal({ bytes: step.bytes });
          } else if (step.do === 'forget') {
            kept.forget(step.key);
            expect(kept.of(step.key)).to.equal(undefined);
          } else if (step.do === 'begin') begun = { mark: notes.begin(), then: all() };
          else if (step.do === 'undo' && begun !== undefined) {
            notes.undo(begun.mark);
            expect(all()).to.deep.equal(begun.then);
            begun = undefined;
          }
          expect(all().reduce<number>((sum, bytes) => sum + (bytes ?? 0), 0)).to.be.at.most(100);
        }
        // Whatever was undone, it knows how much it holds: all that there is room for stays.
        for (let one = 0; one < 5; one++) kept.forget(one);
        for (let one = 0; one < 5; one++) kept.keep(one, { bytes: 20 });
        expect(all()).to.deep.equal([20, 20, 20, 20, 20]);
      }),
      { numRuns: 2_000 },
    );
  });
});

describe('a commit that fails', () => {
  const clock = { wall: Date.parse('2026-11-23T12:00:00Z'), steady: 1_000_000 };
  const time = { now: () => clock.wall, monotonic: () => clock.steady };
  let folder: string;
  let engine: SqliteEngine;
  let writer: Writer;
  let environment: number;
  let failsNext = false;
  beforeEach(async () => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-undone-'));
    engine = openSqlite(folder);
    await migrate(engine.writing);
    engine.countCommits();
    const failing: SqliteEngine = {
      ...engine,
      transact: (work, at) =>
        engine.transact(async () => {
          const outcome = await work();
          if (!failsNext) return outcome;
          failsNext = false;
          throw new Database.SqliteError('database or disk is full', 'SQLITE_FULL');
        }, at),
    };
    writer = writerHere(failing, time, new TrustedTime(undefined, clock.wall, clock.steady));
    ({ number: environment } = await writer.do('createEnvironment', plainEnvironment));
  });
  afterEach(async () => {
    await engine.close(clock.wall);
    rmSync(folder, { recursive: true });
  });

  const pass = (seconds: number) => {
    clock.wall += seconds * 1000;
    clock.steady += seconds * 1000;
  };
  const join = (host: string, session: string, instance: string | null = null, player = 'p-1') =>
    writer.do('join', { ...plainJoin(environment, player, session), host, instance, waits: true });
  const save = (session: string, number: number, leave = false) =>
    writer.do('save', {
      environment,
      session,
      number,
      seen: null,
      answered: null,
      device: null,
      transactions: [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }],
      leave,
    });
  const codeOf = (outcome: Promise<unknown>) =>
    outcome.then(
      () => 'done',
      (error: { readonly code: string }) => error.code,
    );

  it('of a leave keeps the lease: no other host takes the player over', async () => {
    await join('ridge-eu-1', 'ses_1');
    // Longer than the lease that every session has at a start, so that only a lease that is remembered holds.
    pass(50);
    await save('ses_1', 1);
    pass(50);
    failsNext = true;
    expect(await codeOf(save('ses_1', 2, true))).to.equal('store-not-writable');
    expect(await join('ridge-eu-2', 'ses_2')).to.have.nested.property('holder.host', 'ridge-eu-1');
    // It may leave after all, with the same number.
    expect(await save('ses_1', 2, true)).to.include({ isAgain: false });
    expect(await join('ridge-eu-2', 'ses_2')).to.have.nested.property('session.id', 'ses_2');
  });

  it('has renewed no lease, and let no newer instance take the place of the host', async () => {
    await join('ridge-eu-1', 'ses_1', 'first');
    failsNext = true;
    expect(await codeOf(join('ridge-eu-1', 'ses_2', 'second', 'p-2'))).to.equal('store-not-writable');
    expect(await save('ses_1', 1)).to.include({ isAgain: false });
    pass(50);
    failsNext = true;
    expect(await codeOf(save('ses_1', 2))).to.equal('store-not-writable');
    pass(20);
    expect(await join('ridge-eu-2', 'ses_3')).to.have.nested.property('session.id', 'ses_3');
  });

  it('has changed no record that is held, and the same save applies once', async () => {
    await join('ridge-eu-1', 'ses_1');
    await save('ses_1', 1);
    failsNext = true;
    await codeOf(save('ses_1', 2));
    expect(JSON.parse((await save('ses_1', 2)).outcome)).to.have.nested.property('records.progress/climbs.value', 2);
  });

  it('is no reason to read anew what a join has read: the first save after it finds it held', async () => {
    await join('ridge-eu-1', 'ses_1');
    await save('ses_1', 1, true);
    // As after a start: nothing is held.
    writer = writerHere(engine, time, new TrustedTime(undefined, clock.wall, clock.steady));
    expect(await join('ridge-eu-1', 'ses_2')).to.have.property('seen', 2);
    await engine.writing.updateTable('records').set({ value: '40' }).where('key', '=', 'progress/climbs').execute();
    expect(JSON.parse((await save('ses_2', 1)).outcome)).to.have.nested.property('records.progress/climbs.value', 2);
  });

  it('has installed no manifest', async () => {
    const other = { ...highfell.manifest, title: 'Highfell Gliders, second flight' };
    const install = async (manifest: typeof other) => {
      await writer.do('watchPlayers', { watch: 'one' });
      failsNext = failsInstall;
      return writer.do('installManifest', {
        environment,
        manifest,
        source: '',
        acceptMisfits: false,
        counted: [],
        watch: 'one',
        recountsAtMost: 100,
        countedAt: { manifest_version: 1, learned: 0, learns: 0 },
        by: 'maren@highfell.example',
      });
    };
    let failsInstall = true;
    expect(await codeOf(install(other))).to.equal('store-not-writable');
    failsInstall = false;
    expect(await install({ ...other, title: 'Highfell Gliders, third flight' })).to.deep.equal({ version: 2 });
    await join('ridge-eu-1', 'ses_1');
    expect(await save('ses_1', 1)).to.include({ isAgain: false });
  });

  it('undoes all of its batch, and a refused command in it only itself', async () => {
    await join('ridge-eu-1', 'ses_1');
    await join('ridge-eu-2', 'ses_2', null, 'p-2');
    const refused = await Promise.all([save('ses_1', 1), codeOf(save('ses_1', 9)), save('ses_2', 1)]);
    expect(refused[1]).to.equal('save-out-of-order');
    failsNext = true;
    expect(await Promise.all([codeOf(save('ses_1', 2)), codeOf(save('ses_2', 2))])).to.deep.equal([
      'store-not-writable',
      'store-not-writable',
    ]);
    expect(JSON.parse((await save('ses_2', 2)).outcome)).to.have.nested.property('records.progress/climbs.value', 2);
  });
});

describe('the feed', () => {
  const clock = { now: () => Date.parse('2026-11-23T12:00:00Z'), monotonic: () => 1_000_000 };
  let folder: string;
  let engine: SqliteEngine;
  let writer: Writer;
  let environment: number;
  let failsNext = false;
  const told: string[] = [];
  beforeEach(async () => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-feed-'));
    engine = openSqlite(folder);
    await migrate(engine.writing);
    engine.countCommits();
    const failing: SqliteEngine = {
      ...engine,
      transact: (work, at) =>
        engine.transact(async () => {
          const outcome = await work();
          if (failsNext) throw new Database.SqliteError('database or disk is full', 'SQLITE_FULL');
          return outcome;
        }, at),
    };
    failsNext = false;
    writer = writerHere(failing, clock, new TrustedTime(undefined, clock.now(), clock.monotonic()));
    writer.follow((event) => isOfPlay(event) || told.push(inShort(event)));
    ({ number: environment } = await writer.do('createEnvironment', plainEnvironment));
    told.length = 0;
  });
  afterEach(async () => {
    await engine.close(clock.now());
    rmSync(folder, { recursive: true });
  });

  /** Every join is told, and has its line in the activity. */
  const isOfPlay = ({ what }: FeedEvent) => what === 'joined' || what === 'noted';
  const inShort = (event: FeedEvent) => {
    if (event.what === 'session-ended') return `${event.session} ended: ${event.end}, by ${event.by}`;
    if (event.what === 'player-changed') return `${event.keys.join()} of ${event.player}, at ${event.open?.host}`;
    return event.what === 'handover-wanted' ? `${event.session} wanted` : event.what;
  };
  const join = (host: string, session: string) =>
    writer.do('join', { ...plainJoin(environment, 'p-1', session), host, waits: true });
  const give = (token: string, ...amounts: number[]) =>
    writer.do('changeOutside', {
      environment,
      player: 'p-1',
      token,
      transactions: amounts.map((amount) => ({
        changes: [{ op: 'credit', key: 'currency/feather', amount, reason: 'gift' }],
      })),
      by: 'the shop',
      byOperator: false,
    });

  it('says when it was by its own clock, whatever a command says', async () => {
    const at: number[] = [];
    writer.follow((event) => event.what === 'noted' && at.push(event.line.at));
    const line = { environment, what: 'origins-set', by: 'maren@highfell.example', player: null, detail: '' } as const;
    const given = { ...line, now: 1, monotonic: 1, agesBy: 1 };
    await writer.do('note', given);
    expect(at).to.deep.equal([clock.now()]);
  });

  it('tells what a commit did in the order of its commands, and before it answers any of them', async () => {
    await join('ridge-eu-1', 'ses_1');
    const note = (what: string) => () => told.push(what);
    await Promise.all([
      give('a', 5).then(note('answer to the gift')),
      join('ridge-eu-2', 'ses_2').then(note('answer to the other host')),
      join('ridge-eu-1', 'ses_3').then(note('answer to the host')),
    ]);
    const events = [
      'currency/feather of p-1, at ridge-eu-1',
      'ses_1 wanted',
      'ses_1 ended: joined-again, by ridge-eu-1',
    ] as const;
    expect(told.filter((one) => !one.startsWith('answer'))).to.deep.equal(events);
    // On a machine that is busy they may be more commits than one.
    const answers = ['answer to the gift', 'answer to the other host', 'answer to the host'];
    expect(told.filter((one) => one.startsWith('answer'))).to.deep.equal(answers);
    for (const [index, answer] of answers.entries()) {
      expect(told.indexOf(answer), answer).to.be.greaterThan(told.indexOf(events[index] ?? ''));
    }
  });

  it('says nothing of a command that was refused, of a change that changed nothing, or of what was sent again', async () => {
    await join('ridge-eu-1', 'ses_1');
    const results = await Promise.allSettled([give('b', 5), give('b', 6), give('b', 5), give('c', 2_000_000)]);
    expect(results.map(({ status }) => status)).to.deep.equal(['fulfilled', 'rejected', 'fulfilled', 'fulfilled']);
    expect(told).to.deep.equal(['currency/feather of p-1, at ridge-eu-1']);
  });

  it('is told to everybody, and answers come, though one who follows it fails', async () => {
    await join('ridge-eu-1', 'ses_1');
    const faults: unknown[] = [];
    writer.onFollowerFault = (cause, { what }) => faults.push(`${what}: ${(cause as Error).message}`);
    const heard: string[] = [];
    writer.follow(() => {
      throw new Error('out of order');
    });
    writer.follow(({ what }) => heard.push(what));
    await give('e', 5);
    expect([told, heard, faults]).to.deep.equal([
      ['currency/feather of p-1, at ridge-eu-1'],
      ['player-changed'],
      ['player-changed: out of order'],
    ]);
  });

  it('says nothing of a commit that failed, and goes on with the next', async () => {
    await join('ridge-eu-1', 'ses_1');
    failsNext = true;
    await Promise.allSettled([give('d', 5), join('ridge-eu-1', 'ses_2')]);
    expect(told).to.deep.equal([]);
    failsNext = false;
    await join('ridge-eu-1', 'ses_3');
    expect(told).to.deep.equal(['ses_1 ended: joined-again, by ridge-eu-1']);
  });
});

describe('the time by which things grow old', () => {
  const hour = 60 * 60 * 1000;
  const start = Date.parse('2026-11-23T12:00:00Z');

  it('is the time of the clock for as long as that goes on as it should', () => {
    const time = new TrustedTime(start, start + 50 * hour, 0);
    expect([time.at(start + 51 * hour, hour), time.jump]).to.deep.equal([start + 51 * hour, 0]);
    // An hour set back or forth, as people do, is nothing.
    expect([time.at(start + 51 * hour, 2 * hour), time.jump]).to.deep.equal([start + 51 * hour, 0]);
  });

  it('goes on by itself where the clock has jumped, forth or back, until it is right again', () => {
    for (const days of [40, -40]) {
      const time = new TrustedTime(start, start + days * 24 * hour, 0);
      expect(time.at(start + days * 24 * hour + hour, hour)).to.equal(start + hour);
      expect(time.jump).to.equal(days * 24 * hour);
      expect([time.at(start + 2 * hour, 2 * hour), time.jump]).to.deep.equal([start + 2 * hour, 0]);
    }
  });

  it('begins with the clock where there was no commit before', () => {
    expect(new TrustedTime(undefined, start, 0).at(start + 1, 1)).to.equal(start + 1);
  });
});
