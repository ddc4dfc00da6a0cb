import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { verifyStore } from '@vekkon/store';
import type { ProblemDetails, SaveResponse } from '@vekkon/protocol';
import { vekkon } from './world/process.js';
import { World } from './world/world.js';

const killing = path.join(import.meta.dirname, 'world/kill-at.mjs');

/** From the last moment before a save is on disk to the last before it is answered. */
const points = [
  'before the commit',
  'after the commit',
  'after the note of the commit',
  'before the outcome leaves the thread',
  'before the answer',
] as const;

describe('a service that ends in the middle of a save', () => {
  let world: World;
  let session: string;
  let when: string;
  beforeEach(async () => {
    world = await World.start();
    session = await world.joinPlainly('p-1');
    await world.stop();
    when = path.join(mkdtempSync(path.join(tmpdir(), 'vekkon-kill-')), 'now');
  });
  afterEach(async () => {
    await world.forget();
    rmSync(path.dirname(when), { recursive: true });
  });

  const climb = { op: 'increase', key: 'progress/climbs', path: '', by: 1 };
  const save = (url: string, number: number) =>
    fetch(`${url}/v1/sessions/${session}/saves`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${world.hostKey}`, 'Content-Type': 'application/json' },
      body: JSON.stringify({ number, seen: 0, transactions: [{ changes: [climb] }] }),
    });
  const serve = async (point?: string) => {
    const environment = {
      NODE_OPTIONS: `--import ${killing}`,
      VEKKON_KILL_AT: point,
      VEKKON_KILL_WHEN: when,
    };
    const args = ['serve', '--data', world.folder, '--port', '0', '--log', 'json'];
    const service = vekkon(args, point === undefined ? {} : environment);
    const [, url] = await service.says(/"url":"([^"]+)"/);
    return { service, url: url! };
  };
  /** The second save is sent again, as whoever got no answer does, and once more. */
  const expectOnce = async () => {
    const { service, url } = await serve();
    for (let time = 0; time < 2; time++) {
      const again = await save(url, 2);
      expect(again.status).to.equal(200);
      const { records } = (await again.json()) as SaveResponse;
      expect(records['progress/climbs']?.value).to.equal(2);
    }
    await service.stop();
    expect((await verifyStore(world.folder)).faults).to.deep.equal([]);
  };

  for (const point of points) {
    it(`killed ${point}, has lost nothing and does nothing twice`, async () => {
      const { service, url } = await serve(point);
      expect((await save(url, 1)).status).to.equal(200);
      writeFileSync(when, '');
      const answered = await save(url, 2).then(
        () => true,
        () => false,
      );
      expect(answered).to.equal(false);
      await service.ended;
      expect(service.child.signalCode).to.equal('SIGKILL');
      await expectOnce();
    });
  }

  it('as its writing thread does, answers what waits with 503, says why, and ends with status 1', async () => {
    const { service, url } = await serve('the thread ends');
    expect((await save(url, 1)).status).to.equal(200);
    writeFileSync(when, '');
    const answer = await save(url, 2);
    expect([answer.status, ((await answer.json()) as ProblemDetails).code]).to.deep.equal([503, 'service-stopping']);
    expect(answer.headers.get('Retry-After')).to.equal('5');
    const { status, err, out } = await service.ended;
    expect(status).to.equal(1);
    expect(err).to.contain('Vekkon ends by a fault of its own: a fault that was made What was answered is on disk.');
    expect(out).to.contain('The thread of the writer has ended');
    await expectOnce();
  });
});
