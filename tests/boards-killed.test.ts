import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { VekkonOperator } from '@vekkon/client';
import { verifyStore } from '@vekkon/store';
import { vekkon } from './world/process.js';
import { until } from './world/until.js';
import { World } from './world/world.js';

const killing = path.join(import.meta.dirname, 'world/kill-at.mjs');

/** Four steps of handing out: one more than the points need, since the first may share its commit with what turns and closes. */
const pilots = 190;
const manifest = `manifest: 1
game: highfell-gliders
currencies: { feather: 0 }
boards:
  gorge-run:
    better: lower
    counts: best
    season: weekly
    rewards: [{ ranks: [1, 1000], changes: [{ op: credit, key: currency/feather, amount: 7 }] }]
`;

/** Before the season is closed, after it, and around the steps in which places are given out. */
const points = [
  'before commit 1',
  'after commit 1',
  'before commit 2',
  'after commit 2',
  'after commit 3',
  'before commit 4',
] as const;

describe('a service that ends while a season closes', () => {
  let world: World;
  let when: string;
  beforeEach(async () => {
    world = await World.start({ manifest });
    const host = world.host('ridge-eu-1', { deadline: 5_000 });
    await Promise.all(
      Array.from({ length: pilots }, (_, index) =>
        host.change(`p-${index}`, `run-${index}`, [
          { changes: [{ op: 'submit', key: 'score/gorge-run', value: 30_000 + index }] },
        ]),
      ),
    );
    await host.close();
    await world.stop();
    when = path.join(mkdtempSync(path.join(tmpdir(), 'vekkon-kill-')), 'now');
  });
  afterEach(async () => {
    await world.forget();
    rmSync(path.dirname(when), { recursive: true });
  });

  const serve = async (point?: string) => {
    const environment = { NODE_OPTIONS: `--import ${killing}`, VEKKON_KILL_AT: point, VEKKON_KILL_WHEN: when };
    const args = ['serve', '--data', world.folder, '--port', '0', '--log', 'json'];
    const service = vekkon(args, point === undefined ? {} : environment);
    const [, url] = await service.says(/"url":"([^"]+)"/);
    const operator = new VekkonOperator({ url: url!, token: world.operatorToken });
    return { service, operator };
  };

  for (const point of points) {
    it(`killed ${point}, gives each their reward once, at the rank that they had`, async () => {
      const { service, operator } = await serve(point);
      // That the operator was here is written down before it counts; a busy machine may still read the standings.
      await operator.setOrigins(null);
      await until(() => operator.boards.stretch('gorge-run', { count: 1 }).then(() => true, notReady));
      writeFileSync(when, '');
      await operator.boards.close('gorge-run', 'a test of the storm').catch(() => undefined);
      await service.ended;
      expect(service.child.signalCode).to.equal('SIGKILL');
      const { service: again, operator: later } = await serve();
      if ((await later.boards.seasons('gorge-run')).seasons.length === 1) {
        expect(point).to.equal('before commit 1');
        // After a start on a busy machine it may still be reading the standings.
        await until(() => later.boards.close('gorge-run', 'once more').then(() => true, notReady));
      }
      for (;;) {
        const { seasons } = await later.boards.seasons('gorge-run');
        expect(seasons.map(({ season, state }) => [season, state])).to.deep.equal([
          [2, 'open'],
          [1, 'closed'],
        ]);
        if (seasons[1]?.isDone !== true) continue;
        expect(seasons[1]).to.include({ of: pilots, ranked: pilots, given: pilots });
        break;
      }
      const { standings } = await later.boards.stretch('gorge-run', { season: 1, count: 200 });
      expect(standings.map(({ rank, player }) => [rank, player])).to.deep.equal(
        Array.from({ length: pilots }, (_, index) => [index + 1, `p-${index}`]),
      );
      for (let index = 0; index < pilots; index += 7) {
        const { records } = await later.player(`p-${index}`);
        expect(records['currency/feather']?.value, `p-${index}`).to.equal(7);
        const { lines } = await later.ledger(`p-${index}`);
        expect(lines[0]?.reason).to.equal(`gorge-run, season 1: rank ${index + 1}`);
      }
      await again.stop();
      expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
    });
  }
});

function notReady(error: unknown): false {
  if ((error as { readonly code?: unknown }).code === 'board-not-ready') return false;
  throw error;
}
