import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import { expect } from 'chai';
import { VekkonOperator } from '@vekkon/client';
import { openLog, startService, type Service } from '@vekkon/service';
import { verifyStore } from '@vekkon/store';
import { TestClock } from './world/world.js';

/** What each earlier version wrote, and the secrets that it gave out. */
const stores = path.join(import.meta.dirname, 'stores');
const names = readdirSync(stores)
  .filter((name) => name.endsWith('.sql'))
  .map((name) => name.slice(0, -'.sql'.length));

interface Secrets {
  readonly hostKey: string;
  readonly operatorToken: string;
  /** p-1's, which was left after its third save. */
  readonly session: string;
  /** p-2's, which was open. */
  readonly open: string;
  /** Of those that know accounts: Maren's are there since the seventeenth. */
  readonly deviceKey?: string;
}

/** The day after they were written: nothing in them is outdated yet. */
const clock = new TestClock();
clock.wall = Date.parse('2026-11-26T12:00:00Z');

describe('a data folder that an earlier version wrote', () => {
  it('is there of each of them', () => expect(names).to.have.length.greaterThan(4));

  for (const name of names) {
    describe(`at migration ${name}`, () => {
      let folder: string;
      let service: Service;
      const secrets = JSON.parse(readFileSync(path.join(stores, `${name}.json`), 'utf8')) as Secrets;
      before(async () => {
        folder = mkdtempSync(path.join(tmpdir(), 'vekkon-earlier-'));
        const database = new Database(path.join(folder, 'vekkon.sqlite'));
        database.pragma('journal_mode = WAL');
        database.exec(readFileSync(path.join(stores, `${name}.sql`), 'utf8'));
        database.close();
        service = await start();
      });
      after(async () => {
        await service.close();
        rmSync(folder, { recursive: true });
      });

      const start = () =>
        startService({
          data: folder,
          port: 0,
          listen: '127.0.0.1',
          log: openLog('json', path.join(folder, 'log')),
          clock,
        });
      const call = async (method: string, route: string, body?: object) => {
        const response = await fetch(service.url + route, {
          method,
          headers: { Authorization: `Bearer ${secrets.hostKey}` },
          ...(body !== undefined && { body: JSON.stringify(body) }),
        });
        return { status: response.status, body: (await response.json()) as { [name: string]: never } };
      };
      const changes = [
        { op: 'increase', key: 'progress/climbs', path: '', by: 3 },
        { op: 'credit', key: 'currency/feather', amount: 30, reason: 'climb' },
        { op: 'submit', key: 'score/gorge-run', value: 61250 },
      ];

      it('is migrated, and everything in it agrees', async () => {
        const { faults, players } = await verifyStore(folder);
        expect(faults).to.deep.equal([]);
        expect(players).to.be.at.least(3);
        expect(readdirSync(folder)).to.include('last-commit.json');
      });

      // Since the ninth there are boards, whose seasons turn.
      const itBeforeBoards = Number(name) < 9 ? it : () => undefined;
      itBeforeBoards('ranks what was reached before there were boards, where the board never starts anew', async () => {
        const { body } = await call('GET', '/v1/boards/gorge-run');
        // The gorge has weekly seasons since the fourth.
        expect((body as { of?: number }).of ?? 0).to.equal(Number(name) < 4 ? 2 : 0);
      });

      it('answers a save from before as it was answered then', async () => {
        const left = await call('POST', `/v1/sessions/${secrets.session}/leave`, {
          number: 3,
          transactions: [{ changes }],
        });
        expect([left.status, left.body['number']]).to.deep.equal([200, 3]);
        const saved = await call('POST', `/v1/sessions/${secrets.open}/saves`, {
          number: 1,
          transactions: [{ changes }],
        });
        expect([saved.status, saved.body['number']]).to.deep.equal([200, 1]);
      });

      it('goes on with what was open, and keeps what was there', async () => {
        const next = await call('POST', `/v1/sessions/${secrets.open}/saves`, {
          number: 2,
          transactions: [{ changes }],
        });
        expect(next.body).to.have.nested.property('records.progress/climbs.value', 6);
        const { body } = await call('POST', '/v1/players/p-1/join', { host: 'ridge-eu-2' });
        expect(body).to.have.nested.property('records.progress/climbs.value', 9);
        expect(body).to.have.nested.property('records.score/gorge-run.value.count', 3);
        expect(body).to.have.nested.property('player.name', 'Maren');
        expect((await call('GET', '/v1/players/p-3')).body).to.have.nested.property(
          'records.progress/climbs.value',
          17,
        );
      });

      // Since the eighteenth an account may have neither password nor address.
      const itWithAccounts = secrets.deviceKey !== undefined ? it : () => undefined;
      itWithAccounts('lets in whoever had an account', async () => {
        const as = async (key: string, route: string, body: object) => {
          const headers = { Authorization: `Bearer ${key}` };
          const response = await fetch(service.url + route, { method: 'POST', headers, body: JSON.stringify(body) });
          return (await response.json()) as { [name: string]: never };
        };
        const device = await as(secrets.deviceKey ?? '', '/v1/devices', {
          secret: 'a-device-that-comes-after-the-migration',
        });
        const shown = { email: 'Maren@highfell.example', password: 'a-warm-thermal' };
        const { signedIn } = await as(device['token'] ?? '', '/v1/account/sign-in', shown);
        const { accessToken } = signedIn as unknown as { accessToken: string };
        const joined = await as(accessToken, '/v1/me/join', { host: 'tab' });
        expect(joined).to.have.nested.property('records.progress/landings.value', 5);
      });

      it('knows its operators, and erases whom they erase', async () => {
        const operator = new VekkonOperator({
          url: service.url,
          token: secrets.operatorToken,
          environment: 'highfell-gliders/dev',
        });
        await operator.erase('p-2');
        expect((await verifyStore(folder)).faults).to.deep.equal([]);
        expect((await call('GET', '/v1/players/p-2')).status).to.equal(404);
      });
    });
  }
});

describe('a row of history that an earlier version wrote', () => {
  it('is still told from one that was changed since', async () => {
    const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-earlier-'));
    const database = new Database(path.join(folder, 'vekkon.sqlite'));
    database.exec(readFileSync(path.join(stores, '0017.sql'), 'utf8'));
    const service = await startService({
      data: folder,
      port: 0,
      listen: '127.0.0.1',
      log: openLog('json', path.join(folder, 'log')),
      clock,
    });
    await service.close();
    expect((await verifyStore(folder)).faults).to.deep.equal([]);
    const rows = "from history where length(digest) = 12 and key = 'progress/climbs' and revision = 2";
    expect(database.prepare(`select count(*) ${rows}`).pluck().get()).to.be.greaterThan(0);
    database.exec(`update history set value = '7' where rowid in (select min(rowid) ${rows})`);
    database.close();
    const { faults } = await verifyStore(folder);
    expect(faults.map(({ detail }) => detail).join('\n')).to.match(
      /progress\/climbs: revision 2 in the history is not what was written/,
    );
    rmSync(folder, { recursive: true });
  });
});
