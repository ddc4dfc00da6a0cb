import { copyFileSync, existsSync, mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import { expect } from 'chai';
import type { ProblemDetails } from '@vekkon/protocol';
import { verifyStore, type Fault } from '@vekkon/store';
import { failure } from './world/failure.js';
import { vekkon, type Running } from './world/process.js';
import { TestClock, World } from './world/world.js';

const climb = { changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] };
const day = 24 * 60 * 60;

describe('a data folder', () => {
  let world: World;
  let file: string;
  beforeEach(async () => {
    world = await World.start();
    file = path.join(world.folder, 'vekkon.sqlite');
    const session = await world.joinPlainly('p-1');
    for (let number = 1; number <= 30; number++) {
      await world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions: [climb] });
    }
    await world.stop();
  });
  afterEach(() => world.forget());

  const serve = (...args: string[]) =>
    vekkon(['serve', '--data', world.folder, '--port', '0', '--log', 'json', ...args]);
  /** Starts it as a process, lets it answer saves, and kills it. */
  async function killAfterSaves(count: number): Promise<void> {
    const service = serve();
    const [, url] = await service.says(/"url":"([^"]+)"/);
    const send = async (route: string, body: object) =>
      (
        await fetch(`${url}/v1/${route}`, {
          method: 'POST',
          headers: { Authorization: `Bearer ${world.hostKey}` },
          body: JSON.stringify(body),
        })
      ).json();
    const { session } = (await send('players/p-killed/join', { host: 'ridge-eu-9' })) as { session: { id: string } };
    for (let number = 1; number <= count; number++) {
      await send(`sessions/${session.id}/saves`, { number, transactions: [climb] });
    }
    await service.stop('SIGKILL');
  }
  async function refusal(service: Running): Promise<string> {
    const { status, err } = await service.ended;
    expect(status).to.equal(1);
    return err;
  }

  it('whose database was emptied is not started as a new one', async () => {
    truncateSync(file, 0);
    expect(await refusal(serve())).to.match(/vekkon\.sqlite is empty.*up to commit \d+ of .*Restore a backup/);
    expect(await refusal(serve('--accept-older'))).to.contain('is empty');
    // Even where nothing else is known: a new service never meets an empty file.
    rmSync(path.join(world.folder, 'last-commit.json'));
    expect(await refusal(serve())).to.contain('is empty');
  });

  it('whose database is gone is not started as a new one', async () => {
    rmSync(file);
    expect(await refusal(serve())).to.match(/vekkon\.sqlite is missing.*choose another folder/);
    expect(existsSync(file)).to.equal(false);
  });

  it('whose database is none is not started', async () => {
    writeFileSync(file, 'A pilot wrote over it. '.repeat(2_000));
    expect(await refusal(serve())).to.match(/vekkon\.sqlite is damaged \(file is not a database\).*vekkon verify/);
  });

  it('that lost acknowledged commits with its log is not started, unless somebody says so', async () => {
    await killAfterSaves(12);
    rmSync(`${file}-wal`);
    rmSync(`${file}-shm`, { force: true });
    expect(await refusal(serve())).to.match(/1[2-9] are missing\. vekkon\.sqlite-wal.*is not there.*--accept-older/);
    const accepted = serve('--accept-older');
    await accepted.says(/"url"/);
    await accepted.stop();
    const again = serve();
    await again.says(/"url"/);
    expect((await again.stop()).status).to.equal(0);
  });

  it('that was killed and is whole starts by itself, with everything that was acknowledged', async () => {
    await killAfterSaves(12);
    await world.startAgain();
    expect((await world.operator.player('p-killed')).records['progress/climbs']?.value).to.equal(12);
    await world.stop();
  });

  it('that is a copy of the database alone starts, as does one whose note of the last commit is unreadable', async () => {
    const elsewhere = mkdtempSync(path.join(tmpdir(), 'vekkon-copy-'));
    copyFileSync(file, path.join(elsewhere, 'vekkon.sqlite'));
    const copy = vekkon(['serve', '--data', elsewhere, '--port', '0', '--log', 'json']);
    await copy.says(/"url"/);
    await copy.stop();
    writeFileSync(path.join(elsewhere, 'last-commit.json'), 'scribble');
    const again = vekkon(['serve', '--data', elsewhere, '--port', '0', '--log', 'json']);
    await again.says(/"url"/);
    await again.stop();
    rmSync(elsewhere, { recursive: true });
  });

  it('knows its last commit after every answer, and counts no renewals', async () => {
    await world.startAgain();
    const last = () =>
      (JSON.parse(readFileSync(path.join(world.folder, 'last-commit.json'), 'utf8')) as { commit: number }).commit;
    const session = await world.joinPlainly('p-2');
    const before = last();
    await world.call('POST', `/v1/sessions/${session}/saves`, { number: 1, transactions: [climb] });
    expect(last()).to.equal(before + 1);
    await world.call('POST', `/v1/sessions/${session}/renew`);
    expect(last()).to.equal(before + 1);
    await world.stop();
  });

  it('that is found damaged while the service runs is not said to recover by itself', async () => {
    await world.startAgain();
    expect((await world.call('GET', '/v1/players/p-1')).status).to.equal(200);
    await world.stop();
    const bytes = readFileSync(file);
    // The rows of players and of records, wherever they lie: what is read from their pages is no b-tree any more.
    const pageOf = (text: string) => Math.floor(bytes.indexOf(text) / 4096) * 4096;
    for (const text of ['p-1', 'progress/climbs']) bytes.fill(0xab, pageOf(text), pageOf(text) + 4096);
    writeFileSync(file, bytes);
    const service = serve();
    const outcome = await Promise.race([service.ended, service.says(/"url":"([^"]+)"/)]);
    if ('status' in outcome) return expect.fail(`it did not start: ${outcome.err}`);
    const asHost = { Authorization: `Bearer ${world.hostKey}` };
    const answers = await Promise.all([
      fetch(`${outcome[1]}/v1/players/p-1`, { headers: asHost }),
      fetch(`${outcome[1]}/v1/players/p-1/join`, { method: 'POST', headers: asHost, body: '{"host":"ridge-eu-1"}' }),
    ]);
    for (const answer of answers) {
      const { code, detail } = (await answer.json()) as ProblemDetails;
      expect([answer.status, code, answer.headers.get('Retry-After')]).to.deep.equal([500, 'store-damaged', null]);
      expect(detail).to.contain('vekkon verify').and.not.contain('recovers by itself');
    }
    await service.stop('SIGKILL');
    return undefined;
  });
});

describe('a clock that is wrong', () => {
  let world: World;
  let clock: TestClock;
  beforeEach(async () => {
    clock = new TestClock();
    world = await World.start({ clock });
  });
  afterEach(() => world.close());

  const buy = () =>
    world.call(
      'POST',
      '/v1/players/p-1/changes',
      { transactions: [{ changes: [{ op: 'credit', key: 'currency/opal', amount: 5, reason: 'purchase' }] }] },
      { 'Idempotency-Key': 'receipt-17' },
    );
  const opals = async () => (await world.operator.player('p-1')).records['currency/opal']?.value;
  const trashed = async () => (await world.operator.trash('p-1')).trash.length;
  const notes = async () => ((await (await fetch(`${world.url}/ready`)).json()) as { notes?: string[] }).notes;
  async function begin(): Promise<void> {
    await buy();
    const session = await world.joinPlainly('p-1');
    const remove = { op: 'remove', key: 'progress/climbs' };
    await world.call('POST', `/v1/sessions/${session}/saves`, {
      number: 1,
      transactions: [climb, { once: 'cave-3', ...climb }, { changes: [remove] }],
    });
    expect([await opals(), await trashed()]).to.deep.equal([7, 1]);
  }
  /** Sets the clock that may jump, and not the other: as a start under a wrong clock finds it. */
  const jump = (days: number) => (clock.wall += days * day * 1000);

  it('at a start deletes nothing, and applies nothing twice, until it is right again', async () => {
    await begin();
    await world.stop();
    jump(40);
    await world.startAgain();
    expect((await notes())?.[0]).to.match(/stands 40 days ahead.*--trust-clock/);
    await buy();
    clock.pass(2 * 60 * 60);
    await world.restart();
    jump(-40);
    await world.restart();
    expect(await notes()).to.equal(undefined);
    expect([await opals(), await trashed()]).to.deep.equal([7, 1]);
    await buy();
    expect(await opals()).to.equal(7);
  });

  it('is taken as right when a person says so', async () => {
    await begin();
    await world.stop();
    jump(40);
    await world.startAgain();
    expect(await notes()).to.have.length(1);
    await world.stop();
    await world.startAgain(0, { trustsClock: true });
    expect(await notes()).to.equal(undefined);
    await world.signInAgain();
    expect(await trashed()).to.equal(0);
  });

  it('while it runs is noticed too', async () => {
    await begin();
    jump(40);
    await buy();
    expect(await notes()).to.have.length(1);
    jump(-40);
    await buy();
    expect(await notes()).to.equal(undefined);
    expect(await opals()).to.equal(7);
  });

  it('is one that jumped, not one that went on: time that passes makes things old', async () => {
    await begin();
    clock.pass(31 * day);
    await world.restart();
    expect(await notes()).to.equal(undefined);
    await buy();
    await world.signInAgain();
    expect([await opals(), await trashed()]).to.deep.equal([12, 0]);
  });
});

describe('verifying', () => {
  let world: World;
  beforeEach(async () => {
    world = await World.start();
    const session = await world.joinPlainly('p-1');
    const changes = [
      ...climb.changes,
      { op: 'credit', key: 'currency/feather', amount: 5, reason: 'climb' },
      { op: 'submit', key: 'score/gorge-run', value: 61_250 },
    ];
    for (let number = 1; number <= 4; number++) {
      await world.call('POST', `/v1/sessions/${session}/saves`, { number, answered: 0, transactions: [{ changes }] });
    }
    await world.call('POST', `/v1/sessions/${session}/leave`);
    await world.joinPlainly('p-2', 'ridge-eu-2');
    await world.stop();
  });
  afterEach(() => world.forget());

  async function after(sql: string): Promise<readonly Fault[]> {
    const database = new Database(path.join(world.folder, 'vekkon.sqlite'));
    database.pragma('foreign_keys = OFF');
    expect(database.prepare(sql).run().changes, sql).to.be.greaterThan(0);
    database.close();
    return (await verifyStore(world.folder)).faults;
  }

  it('finds nothing where nothing is wrong', async () => {
    const { faults, players, sessions, revisions } = await verifyStore(world.folder);
    expect(faults).to.deep.equal([]);
    expect([players, sessions]).to.deep.equal([2, 2]);
    expect(revisions).to.be.greaterThan(12);
  });

  const p1 = "(select number from players where id = 'p-1')";
  const damages: readonly (readonly [what: string, sql: string, found: RegExp])[] = [
    [
      "a currency's record",
      `delete from records where key = 'currency/feather' and player = ${p1}`,
      /currency\/feather has a history up to revision 5, and no record/,
    ],
    [
      'a record',
      `delete from records where key = 'progress/climbs' and player = ${p1}`,
      /progress\/climbs has a history up to revision 5, and no record/,
    ],
    [
      'a player',
      "delete from players where id = 'p-1'",
      /history: \d+ rows of player 1, and there is no such row among players/,
    ],
    [
      'an old value in the history',
      `update history set value = '2' where key = 'progress/climbs' and revision = 2 and player = ${p1}`,
      /progress\/climbs: revision 2 in the history is not what was written/,
    ],
    [
      'the time of an old value',
      `update history set at = at + 1 where key = 'progress/climbs' and revision = 2 and player = ${p1}`,
      /revision 2 in the history is not what was written/,
    ],
    [
      'an old revision',
      `delete from history where key = 'progress/climbs' and revision = 3 and player = ${p1}`,
      /revision 4 followed 3, and that is not in the history/,
    ],
    [
      'the first revision',
      `delete from history where key = 'progress/climbs' and revision = 1 and player = ${p1}`,
      /revision 2 followed 1, and that is not in the history/,
    ],
    [
      'the newest revision',
      `delete from history where key = 'progress/climbs' and revision = 5 and player = ${p1}`,
      /progress\/climbs: revision 5 is not what its history has/,
    ],
    [
      'a whole history',
      `delete from history where key = 'progress/climbs' and player = ${p1}`,
      /progress\/climbs has no history/,
    ],
    [
      'a value',
      `update records set value = '1' where key = 'progress/climbs' and player = ${p1}`,
      /revision 5 is not what its history has/,
    ],
    [
      'a balance',
      `update records set value = '41' where key = 'currency/feather' and player = ${p1}`,
      /holds 41, and its ledger's sum is 60/,
    ],
    [
      'a ledger line',
      `delete from ledger where key = 'currency/feather' and balance = 50 and player = ${p1}`,
      /45 and 5 is not 55/,
    ],
    [
      'the last ledger line',
      `delete from ledger where key = 'currency/feather' and balance = 60 and player = ${p1}`,
      /holds 60, and its ledger's sum is 55/,
    ],
    [
      'a result',
      `update records set value = json_set(value, '$.best', null) where key = 'score/gorge-run' and player = ${p1}`,
      /score\/gorge-run: it has 4 results, and lacks one/,
    ],
    ['a session', `delete from sessions where player = ${p1}`, /newest session, with fence 1, is not there/],
    ['the fence', `update players set fence = 0 where id = 'p-1'`, /has fence 1, and the player is at 0/],
    ['the commits that were seen', `update players set seen = 1 where id = 'p-1'`, /the player is at 1/],
    ['an outcome', 'delete from save_outcomes where number = 2', /keeps 2 outcomes of \d+ bytes, and should keep 3/],
    [
      'JSON',
      `update records set value = '{' where key = 'progress/climbs' and player = ${p1}`,
      /holds what is not JSON/,
    ],
    [
      'the count of commits',
      'update commits set number = number - 1',
      /stands at commit \d+, and commit \d+ of .* was acknowledged/,
    ],
  ];
  for (const [what, sql, found] of damages) {
    it(`finds that ${what} was changed or is gone, and says how it would be mended`, async () => {
      const faults = await after(sql);
      expect(faults.map(({ detail }) => detail).join('\n')).to.match(found);
      for (const { mend } of faults) expect(mend).to.match(/^[A-Z].{15,}\.$/);
    });
  }

  it('is a command, which ends with 1 where something does not agree', async () => {
    const whole = await vekkon(['verify', '--data', world.folder]).ended;
    expect([whole.status, /everything agrees/.test(whole.out)]).to.deep.equal([0, true]);
    await after(`delete from records where key = 'progress/climbs' and player = ${p1}`);
    const { out, status } = await vekkon(['verify', '--data', world.folder]).ended;
    expect(status).to.equal(1);
    expect(out).to.contain('how it would be mended:').and.to.contain('Put the value of that revision back');
    expect(out).to.contain('1 thing does not agree; nothing was changed.');
  });
});

describe('an erased player', () => {
  const secret = 'Maren of the Gorge';
  let world: World;
  beforeEach(async () => {
    world = await World.start();
  });
  afterEach(() => world.forget());

  it('stands nowhere in the data folder after a clean stop: not by name, notes, balances or answers', async () => {
    const { session } = (await world.call('POST', '/v1/players/p-gone/join', { host: 'ridge-eu-1', name: secret }))
      .body as { session: { id: string } };
    const changes = [
      {
        op: 'merge',
        key: 'progress/logbook',
        value: { notes: [secret, ...Array.from({ length: 90 }, () => secret.repeat(9))] },
      },
      { op: 'credit', key: 'currency/feather', amount: 4711, reason: secret },
      { op: 'submit', key: 'score/gorge-run', value: 61_000, name: secret, note: secret },
    ];
    for (let number = 1; number <= 6; number++) {
      await world.call('POST', `/v1/sessions/${session.id}/saves`, {
        number,
        transactions: [{ label: secret, changes }],
      });
    }
    await world.call(
      'POST',
      '/v1/players/p-gone/changes',
      { transactions: [{ changes: [{ op: 'credit', key: 'currency/feather', amount: 1, reason: secret }] }] },
      { 'Idempotency-Key': 'gift' },
    );
    await world.joinPlainly('p-gone', 'ridge-eu-1');
    // Too late, and dropped by a person: the activity says what it held.
    const late = await world.call('POST', `/v1/sessions/${session.id}/saves`, {
      number: 7,
      transactions: [{ label: secret, changes }],
    });
    const [unsettled] = (late.body as { unsettled: string[] }).unsettled;
    await world.operator.drop(unsettled!);
    await world.joinPlainly('p-stays');
    await world.operator.erase('p-gone');
    expect((await world.operator.activity()).activity.map(({ what }) => what)).to.include('player-erased');
    const { faults } = await verifyStore(world.folder);
    expect(faults).to.deep.equal([]);
    await world.stop();
    for (const name of ['vekkon.sqlite', 'vekkon.sqlite-wal']) {
      const file = path.join(world.folder, name);
      if (existsSync(file)) expect(readFileSync(file).includes(secret), name).to.equal(false);
    }
    expect(readFileSync(path.join(world.folder, 'vekkon.sqlite')).includes('4711')).to.equal(false);
    expect(readFileSync(path.join(world.folder, 'vekkon.sqlite')).includes('p-stays')).to.equal(true);
  });

  it('is gone for their device too: its token opens nothing, and makes no new player', async () => {
    const added = await fetch(`${world.url}/v1/devices`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${world.deviceKey}` },
      body: JSON.stringify({ secret: 's'.repeat(43) }),
    });
    const { token, player } = (await added.json()) as { token: string; player: string };
    const asDevice = (method: string, route: string, body?: unknown) =>
      world.call(method, route, body, { Authorization: `Bearer ${token}` });
    expect((await asDevice('POST', '/v1/me/join', { host: 'tab-1' })).status).to.equal(201);
    await world.operator.erase(player);
    for (const [method, route, body] of [
      ['POST', '/v1/me/join', { host: 'tab-1' }],
      ['PUT', '/v1/me/records/preference/invert-pitch', true],
      ['GET', '/v1/me', undefined],
    ] as const) {
      expect((await asDevice(method, route, body)).status, route).to.equal(401);
    }
    expect(await failure(world.operator.player(player))).to.have.property('code', 'player-unknown');
    expect((await world.operator.players()).total).to.equal(0);
    await world.stop();
  });
});
