import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import {
  ServiceRefused,
  ServiceUnreachable,
  UnsavedSession,
  VekkonHost,
  type Delivery,
  type FailedTry,
  type HostSession,
  type VekkonHostOptions,
} from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import { failure } from './world/failure.js';
import { FaultProxy } from './world/fault-proxy.js';
import { Running } from './world/process.js';
import { until } from './world/until.js';
import { World } from './world/world.js';

describe('a host', () => {
  let world: World;
  let proxy: FaultProxy;
  let folder: string;
  beforeEach(async () => {
    world = await World.start();
    proxy = await FaultProxy.start(world.url);
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-spool-'));
  });
  afterEach(async () => {
    await proxy.close();
    await world.close();
    rmSync(folder, { recursive: true });
  });

  const host = (options: Partial<VekkonHostOptions> = {}) => world.host('ridge-eu-1', { url: proxy.url, ...options });
  const stored = async (player: string, key = 'progress/climbs') =>
    (await world.operator.player(player)).records[key]?.value;

  describe('that meets faults', () => {
    it('tries again, tells of every try, and saves once', async () => {
      const one = host({ deadline: 5_000 });
      const session = await one.join('p-1');
      const tries: FailedTry[] = [];
      one.onFailedTry((failed) => tries.push(failed));
      session.credit('feather', 10, 'climb');
      proxy.next(/saves/, 'drop-request', 'drop-response', 'cut-response', 'double');
      expect(await session.save()).to.deep.equal({ sent: 1, refused: [] });
      expect(tries.map(({ attempt }) => attempt)).to.deep.equal([1, 2, 3]);
      expect(tries[0]?.error).to.be.instanceOf(ServiceUnreachable);
      expect(await stored('p-1', 'currency/feather')).to.equal(50);
    });

    it('joins once though the answer to its join was lost', async () => {
      proxy.next(/join/, 'drop-response', 'cut-response');
      const session = await host({ deadline: 5_000 }).join('p-2');
      expect(session.player.isNew).to.equal(true);
      expect((await world.operator.sessionsOf('p-2')).sessions).to.have.length(1);
    });

    it('honours Retry-After', async () => {
      await world.operator.startDisturbance({ refuse: 1, seconds: 60 });
      const tries: FailedTry[] = [];
      const one = host({ deadline: 900 });
      one.onFailedTry((failed) => tries.push(failed));
      const error = await failure(one.join('p-3'));
      expect(error).to.have.property('code', 'disturbed');
      // It was asked to wait for a second, which is beyond its deadline.
      expect(tries.map(({ nextIn }) => nextIn)).to.deep.equal([undefined]);
    });

    it('does not try again what can not succeed', async () => {
      const tries: FailedTry[] = [];
      const one = host({ hostKey: 'vkh_wrong' });
      one.onFailedTry((failed) => tries.push(failed));
      expect(await failure(one.join('p-4'))).to.be.instanceOf(ServiceRefused);
      expect(tries).to.have.length(1);
    });
  });

  describe('whose join fails', () => {
    it('may go on trying in the background', async () => {
      proxy.fate = () => 'drop-request';
      const { session } = host({ deadline: 50 }).keepJoining('p-1');
      proxy.fate = () => 'pass';
      expect((await session).player.isNew).to.equal(true);
    });

    it('may play unsaved on starting values, which are replaced and never written', async () => {
      proxy.fate = () => 'drop-request';
      const one = host({ deadline: 50, manifest: demoManifest() });
      const unsaved = await one.joinOrPlayUnsaved('p-2');
      if (!(unsaved instanceof UnsavedSession)) return expect.fail('it was joined');
      expect('save' in unsaved).to.equal(false);
      unsaved.credit('feather', 500, 'gorge');
      expect(unsaved.balance('feather')).to.equal(540);
      const replaced = new Promise<[HostSession, number]>((resolve) =>
        unsaved.onReplaced((session, dropped) => resolve([session, dropped.length])),
      );
      proxy.fate = () => 'pass';
      const [session, dropped] = await replaced;
      expect([session.balance('feather'), dropped]).to.deep.equal([40, 1]);
      await session.leave();
      expect(await stored('p-2', 'currency/feather')).to.equal(40);
      return undefined;
    });

    it('is not given starting values where it did not ask for them', async () => {
      proxy.fate = () => 'drop-request';
      expect(await failure(host({ deadline: 50, manifest: demoManifest() }).join('p-3'))).to.be.instanceOf(
        ServiceUnreachable,
      );
      expect(await failure(host({ deadline: 50 }).joinOrPlayUnsaved('p-3'))).to.be.instanceOf(ServiceUnreachable);
    });
  });

  describe('that saves', () => {
    it('saves by itself what changed, all together, and nothing else', async () => {
      const one = host({ autosave: 0.05 });
      const paths: string[] = [];
      proxy.fate = (request) => (paths.push(`${request.method} ${request.url}`), 'pass');
      const [a, b, idle] = await Promise.all(['p-a', 'p-b', 'p-idle'].map((player) => one.join(player)));
      a!.increase('climbs', 1);
      b!.increase('climbs', 2);
      await until(() => a!.pending + b!.pending === 0);
      expect(await stored('p-a')).to.equal(1);
      expect(await stored('p-b')).to.equal(2);
      expect(paths.filter((one) => one.endsWith('/v1/saves'))).to.have.length(1);
      expect((await world.operator.sessionsOf('p-idle')).sessions[0]?.saves).to.equal(0);
      expect(idle!.pending).to.equal(0);
      await one.close();
    });

    it('makes one ledger line of a hundred taps', async () => {
      const session = await host().join('p-taps');
      for (let tap = 0; tap < 100; tap++) {
        session.credit('feather', 1, 'tap');
        session.increase('climbs', 1);
      }
      expect(await session.save()).to.deep.equal({ sent: 2, refused: [] });
      expect([await stored('p-taps', 'currency/feather'), await stored('p-taps')]).to.deep.equal([140, 100]);
      expect((await world.operator.player('p-taps')).records['currency/feather']?.revision).to.equal(2);
    });

    it('sends one save at a time, and serves many calls of save with one more', async () => {
      const session = await host().join('p-eager');
      session.increase('climbs', 1);
      const first = session.save();
      const rest = Array.from({ length: 50 }, () => {
        session.increase('climbs', 1);
        return session.save();
      });
      await Promise.all([first, ...rest]);
      expect((await world.operator.sessionsOf('p-eager')).sessions[0]?.saves).to.be.at.most(2);
      expect(await stored('p-eager')).to.equal(51);
    });

    it('does not send a save that would change nothing', async () => {
      const session = await host().join('p-same');
      session.put('preference/invert-pitch', false);
      session.merge('flight', { chapter: 1 });
      expect(session.pending).to.equal(0);
      expect(await session.save()).to.deep.equal({ sent: 0, refused: [] });
    });

    it('sends more than a save holds in several', async () => {
      const session = await host().join('p-much');
      for (let index = 0; index < 450; index++)
        session.transaction(`climb ${index}`, (draft) => draft.increase('climbs', 1));
      expect((await session.save()).sent).to.equal(450);
      expect(await stored('p-much')).to.equal(450);
    });
  });

  describe("'s copy of the records", () => {
    it('tells a display of every change and where it came from', async () => {
      const session = await host().join('p-watch');
      const told: unknown[] = [];
      session.watch('climbs', (value, from) => told.push([value, from]));
      session.increase('climbs', 2);
      await session.save();
      await world.call('PUT', '/v1/players/p-watch/records/progress/climbs', '30', { 'If-Match': '"2"' });
      await until(() => told.length === 3);
      expect(told).to.deep.equal([
        [2, 'here'],
        [2, 'acknowledged'],
        [30, 'outside'],
      ]);
    });

    it('applies what is not acknowledged again on top of what comes from outside', async () => {
      const session = await host().join('p-both');
      session.increase('climbs', 1);
      await world.call('PUT', '/v1/players/p-both/records/progress/climbs', '10', { 'If-Match': '"1"' });
      await until(() => session.value('climbs') === 11);
      expect(session.pending).to.equal(1);
      await session.save();
      expect([session.value('climbs'), await stored('p-both')]).to.deep.equal([11, 11]);
    });

    it('says what is not on disk yet, and since when', async () => {
      const session = await host().join('p-pending');
      const before = new Date();
      session.increase('climbs', 1);
      expect(session.pending).to.equal(1);
      expect(session.notYetSaved.flatMap(({ changes }) => changes)).to.deep.equal([
        { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
      ]);
      expect(session.pendingSince!.getTime()).to.be.at.least(before.getTime());
      expect(session.savedAt.getTime()).to.be.at.least(before.getTime());
      await session.save();
      expect(session.pending).to.equal(0);
    });
  });

  describe('with transactions', () => {
    it('gets refusals as results, here and from the service', async () => {
      const session = await host().join('p-deal');
      const tooDear = session.transaction('wing bought', (draft) => {
        draft.increase('climbs', 1);
        draft.debit('feather', 41, 'wing');
      });
      expect(tooDear).to.have.nested.property('problem.code', 'balance-too-low');
      expect([session.value('climbs'), session.pending]).to.deep.equal([0, 0]);

      // Fits what is known here, but not what somebody else has made of it meanwhile.
      proxy.fate = (request) => (request.url?.includes('stream') ? 'drop-request' : 'pass');
      const bought = session.transaction('refit', (draft) =>
        draft.put('flight', { chapter: 2, charted: [], metres: 0 }, { ifRevision: 1 }),
      );
      await world.call(
        'PUT',
        '/v1/players/p-deal/records/progress/flight',
        { chapter: 9, charted: [], metres: 1 },
        { 'If-Match': '"1"' },
      );
      const refused: unknown[] = [];
      session.onRefused((one) => refused.push(one.problem.code));
      const { refused: inSave } = await session.save();
      expect(inSave.map((one) => one.problem.code)).to.deep.equal(['revision-mismatch']);
      expect(refused).to.deep.equal(['revision-mismatch']);
      expect(bought.applied && (await bought.saved)).to.have.nested.property('problem.code', 'revision-mismatch');
      expect(session.value('flight')).to.have.property('chapter', 9);
      // The game had shown it as done: it waits for a person.
      expect((await world.operator.unsettled('p-deal')).total).to.equal(1);
    });
  });

  describe('whose session is lost', () => {
    it('is told at once, never writes again, and loses nothing', async () => {
      const one = host();
      const session = await one.join('p-lost');
      session.credit('feather', 25, 'climb');
      const lost = new Promise((resolve) => session.onLost(resolve));
      await world.host('ridge-eu-1').join('p-lost');
      expect(String(await lost)).to.contain('Join the player again');
      await until(async () => (await world.operator.unsettled('p-lost')).total === 1);
      expect(await stored('p-lost', 'currency/feather')).to.equal(40);
    });
  });

  describe('that closes', () => {
    it('leaves everybody in bulk', async () => {
      const one = host();
      const players = Array.from({ length: 40 }, (_, index) => `p-${index}`);
      for (const session of await Promise.all(players.map((player) => one.join(player)))) session.increase('climbs', 1);
      const paths: string[] = [];
      // The stream of a host may open as late as now, and a renewal follows it.
      proxy.fate = ({ url = '' }) => (/save|leave/.test(url) && paths.push(url), 'pass');
      expect((await one.close()).left).to.have.members(players);
      expect(paths).to.deep.equal(['/v1/saves']);
      expect(await stored('p-39')).to.equal(1);
    });

    it('keeps in the spool what it could not deliver, and the next start delivers it before its first join', async () => {
      const one = host({ spool: folder });
      const session = await one.join('p-spooled');
      session.credit('feather', 60, 'gorge');
      proxy.fate = () => 'drop-request';
      expect(await one.close({ within: 200 })).to.deep.equal({ left: [], spooled: ['p-spooled'], lost: [] });
      expect(await stored('p-spooled', 'currency/feather')).to.equal(40);

      proxy.fate = () => 'pass';
      const next = host({ spool: folder });
      const deliveries: Delivery[] = [];
      next.onDelivery((delivery) => deliveries.push(delivery));
      const again = await next.join('p-spooled');
      expect(again.balance('feather')).to.equal(100);
      expect(deliveries.map(({ saves, unsettled }) => [saves, unsettled.length])).to.deep.equal([[1, 0]]);
      await next.close();
    });

    it('at a signal, when asked to, leaves with everybody before the process ends', async () => {
      const game = `
        import { VekkonHost } from '@vekkon/client';
        const host = new VekkonHost({ url: '${world.url}', hostKey: '${world.hostKey}', host: 'ridge-eu-6' });
        host.closeOnSignals({ onClosed: (closed) => console.log(JSON.stringify(closed)) });
        const session = await host.join('p-signal');
        session.increase('climbs', 4);
        console.log('playing');`;
      const running = new Running(process.execPath, ['--input-type=module', '--eval', game]);
      await running.says(/playing/);
      const { out, status } = await running.stop('SIGTERM');
      expect(out).to.contain('{"left":["p-signal"],"spooled":[],"lost":[]}');
      expect(status).to.equal(null);
      expect(await stored('p-signal')).to.equal(4);
    });

    it('says who did not make it where there is no spool', async () => {
      const one = host();
      const session = await one.join('p-nowhere');
      session.increase('climbs', 1);
      proxy.fate = () => 'drop-request';
      const { lost } = await one.close({ within: 100 });
      expect(lost.map(({ player }) => player)).to.deep.equal(['p-nowhere']);
    });
  });

  describe("'s spool", () => {
    const spoolFile = () => path.join(folder, 'ridge-eu-1.spool');

    /** A host that had a save answered without hearing of it, and is gone. */
    async function leaveBehind(options: Partial<VekkonHostOptions> = {}): Promise<void> {
      const one = host({ spool: folder, ...options });
      const session = await one.join('p-1');
      session.credit('feather', 60, 'gorge');
      proxy.next(/.*/, ...Array.from({ length: 40 }, () => 'drop-response' as const));
      await one.close({ within: 150 });
      proxy.fate = () => 'pass';
    }

    it('delivers what was applied already without applying it twice', async () => {
      await leaveBehind();
      const next = host({ spool: folder });
      expect((await next.join('p-1')).balance('feather')).to.equal(100);
      await next.close();
    });

    it('takes up what was not answered within the deadline, before the process ends', async () => {
      const one = host({ spool: folder, deadline: 100 });
      const session = await one.join('p-1');
      session.credit('feather', 60, 'gorge');
      proxy.next(/saves/, ...Array.from({ length: 40 }, () => 'drop-request' as const));
      expect(await failure(session.save())).to.be.instanceOf(ServiceUnreachable);
      await until(() => readFileSync(spoolFile(), 'utf8').trim().split('\n').length === 2);
      // Killed here. Its next start finds the save and delivers it.
      proxy.fate = () => 'pass';
      const next = host({ spool: folder });
      expect((await next.join('p-1')).balance('feather')).to.equal(100);
      await next.close();
    });

    it('forgets what was answered after all', async () => {
      const one = host({ spool: folder, deadline: 100 });
      const session = await one.join('p-1');
      session.credit('feather', 60, 'gorge');
      proxy.next(/saves/, ...Array.from({ length: 40 }, () => 'drop-request' as const));
      await failure(session.save());
      proxy.fate = () => 'pass';
      await session.save();
      await until(() => readFileSync(spoolFile(), 'utf8').trim().split('\n').length === 3);
      const next = host({ spool: folder });
      const deliveries: Delivery[] = [];
      next.onDelivery((delivery) => deliveries.push(delivery));
      expect((await next.join('p-1')).balance('feather')).to.equal(100);
      expect(deliveries).to.deep.equal([]);
      await next.close();
    });

    it('is sealed: nothing of it can be read', async () => {
      await leaveBehind();
      expect(readFileSync(spoolFile(), 'utf8')).to.not.match(/feather|gorge|ses_/);
    });

    it('becomes unsettled when somebody else took the player over meanwhile', async () => {
      const one = host({ spool: folder });
      const session = await one.join('p-2');
      session.credit('feather', 60, 'gorge');
      proxy.fate = () => 'drop-request';
      await one.close({ within: 100 });
      proxy.fate = () => 'pass';
      await world.joinPlainly('p-2', 'ridge-eu-1');
      const next = host({ spool: folder });
      const deliveries: Delivery[] = [];
      next.onDelivery((delivery) => deliveries.push(delivery));
      await next.join('p-3');
      expect(deliveries[0]?.unsettled).to.have.length(1);
      expect((await world.operator.unsettled('p-2')).total).to.equal(1);
      await next.close();
    });

    it('is opened by an older key after a change of keys', async () => {
      await leaveBehind();
      const { key } = await world.operator.createKey('host-key');
      const next = host({ spool: folder, hostKey: key, earlierKeys: [world.hostKey] });
      expect((await next.join('p-1')).balance('feather')).to.equal(100);
      await next.close();
    });

    it('that can not be opened is kept aside and reported', async () => {
      await leaveBehind();
      const { key } = await world.operator.createKey('host-key');
      const next = host({ spool: folder, hostKey: key });
      const deliveries: Delivery[] = [];
      next.onDelivery((delivery) => deliveries.push(delivery));
      await next.join('p-9');
      const { setAside } = deliveries[0]!;
      expect(setAside?.why).to.contain('none of the host keys');
      expect(existsSync(setAside!.file)).to.equal(true);
      await next.close();
    });

    it('drops a torn last line, and nothing before it', async () => {
      await leaveBehind();
      const whole = readFileSync(spoolFile(), 'utf8');
      writeFileSync(spoolFile(), `${whole}dGhpcyBsaW5lIHdhcyB0b3Ju`);
      const next = host({ spool: folder });
      const deliveries: Delivery[] = [];
      next.onDelivery((delivery) => deliveries.push(delivery));
      expect((await next.join('p-1')).balance('feather')).to.equal(100);
      expect(deliveries[0]).to.include({ isTorn: true, saves: 1 });
      await next.close();
    });

    it('tells a torn line from one that was tampered with', async () => {
      await leaveBehind();
      const lines = readFileSync(spoolFile(), 'utf8').split('\n');
      lines[1] = lines[1]!.replace(/^./, (first) => (first === 'A' ? 'B' : 'A'));
      writeFileSync(spoolFile(), [...lines.slice(0, 2), lines[1], ''].join('\n'));
      const next = host({ spool: folder });
      const deliveries: Delivery[] = [];
      next.onDelivery((delivery) => deliveries.push(delivery));
      await next.join('p-9');
      expect(deliveries[0]?.setAside?.why).to.contain("can't be opened");
      await next.close();
    });

    it('with a journal holds every change before a save, even of a host that is killed', async () => {
      const one = host({ spool: folder, journal: true });
      const session = await one.join('p-journal');
      await session.credit('feather', 60, 'gorge');
      await session.increase('climbs', 3);
      // Killed: nothing is closed, nothing is sent. What lies in the spool is all there is.
      const next = host({ spool: folder, journal: true });
      const again = await next.join('p-journal');
      expect([again.balance('feather'), again.value('climbs')]).to.deep.equal([100, 3]);
      await next.close();
    });

    it('with a journal does not repeat what was saved before the host was killed', async () => {
      const one = host({ spool: folder, journal: true });
      const session = await one.join('p-journal');
      for (let climb = 0; climb < 5; climb++) await session.increase('climbs', 1);
      proxy.next(/saves/, ...Array.from({ length: 40 }, () => 'drop-response' as const));
      await failure(session.save());
      await session.increase('climbs', 10);
      proxy.fate = () => 'pass';
      const next = host({ spool: folder, journal: true });
      expect((await next.join('p-journal')).value('climbs')).to.equal(15);
      await next.close();
    });

    it('is empty after everything was delivered', async () => {
      const one = host({ spool: folder, journal: true });
      const session = await one.join('p-1');
      await session.increase('climbs', 1);
      await one.close();
      expect(readFileSync(spoolFile(), 'utf8').trim().split('\n')).to.have.length(1);
      expect(readdirSync(folder)).to.deep.equal(['ridge-eu-1.spool']);
      truncateSync(spoolFile(), 0);
      const next = new VekkonHost({ url: world.url, hostKey: world.hostKey, host: 'ridge-eu-1', spool: folder });
      await next.join('p-1');
      await next.close();
    });
  });
});
