import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { ServiceRefused, VekkonHost, type HostSession } from '@vekkon/client';
import type { ProblemDetails } from '@vekkon/protocol';
import { openStore } from '@vekkon/store';
import { failure } from './world/failure.js';
import { vekkon } from './world/process.js';
import { World } from './world/world.js';

const canMount = process.getuid?.() === 0 && spawnSync('which', ['mount']).status === 0;

describe('a disk that is full', () => {
  let folder: string;
  let world: World;
  let session: HostSession;

  before(async function () {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-small-'));
    const mounted = canMount && spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=6m', 'tmpfs', folder]).status === 0;
    if (!mounted) {
      rmSync(folder, { recursive: true });
      return this.skip();
    }
    world = await World.start({ folder: path.join(folder, 'data') });
    session = await world.host().join('p-1');
    session.increase('climbs', 1);
    await session.save();
  });
  after(async () => {
    if (world === undefined) return;
    await world.close();
    execFileSync('umount', ['--lazy', folder]);
    rmSync(folder, { recursive: true });
  });

  it('refuses saves with 503 and Retry-After, while reads go on and /ready says so', async () => {
    // The rest of the disk but a little, then saves until even that is full.
    const ballast = path.join(folder, 'ballast');
    spawnSync('dd', ['if=/dev/zero', `of=${ballast}`, 'bs=64k'], { stdio: 'ignore' });
    session.put('logbook', { flights: 1, highest: 1, notes: Array.from({ length: 100 }, () => 'x'.repeat(200)) });
    const refused = await failure(session.save());
    expect(refused).to.be.instanceOf(ServiceRefused);
    expect((refused as ServiceRefused).code).to.equal('store-not-writable');
    expect((refused as ServiceRefused).facts.retryAfter).to.be.greaterThan(0);
    expect((await world.operator.player('p-1')).records['progress/climbs']?.value).to.equal(1);
    const ready = await fetch(`${world.url}/ready`);
    expect([ready.status, ((await ready.json()) as ProblemDetails).code]).to.deep.equal([503, 'store-not-writable']);
    expect((await fetch(`${world.url}/health`)).status).to.equal(200);
  });

  it('is told in plain words where a start finds it full, and nothing is lost by that', async () => {
    const port = Number(new URL(world.url).port);
    await world.stop();
    spawnSync('dd', ['if=/dev/zero', `of=${path.join(folder, 'ballast-2')}`, 'bs=1k'], { stdio: 'ignore' });
    expect(await failure(world.startAgain(port)))
      .to.have.property('message')
      .that.contains('is full: free some space');
    rmSync(path.join(folder, 'ballast-2'));
    rmSync(path.join(folder, 'ballast'));
    await world.startAgain(port);
  });

  it('is recovered from, and nothing acknowledged is lost', async () => {
    expect((await fetch(`${world.url}/ready`)).status).to.equal(200);
    await session.save();
    await session.leave();
    const again = await world.host('ridge-eu-2').join('p-1');
    expect(again.value('climbs')).to.equal(1);
    expect(again.value('logbook')).to.have.property('flights', 1);
  });
});

describe('files that can be written no more', () => {
  it('refuse saves until they can be written again', async function () {
    const world = await World.start();
    const session = await world.host().join('p-1');
    session.increase('climbs', 1);
    // A mount with open files can't be made read-only. An immutable file refuses open files too, on ext4.
    const log = path.join(world.folder, 'vekkon.sqlite-wal');
    const isImmutable = spawnSync('chattr', ['+i', log]).status === 0;
    if (!isImmutable) {
      await world.close();
      return this.skip();
    }
    try {
      expect(await failure(session.save())).to.have.property('code', 'store-not-writable');
      expect((await fetch(`${world.url}/ready`)).status).to.equal(503);
      expect((await world.operator.player('p-1')).records['progress/climbs']?.value).to.equal(0);
    } finally {
      execFileSync('chattr', ['-i', log]);
    }
    await session.save();
    expect((await world.operator.player('p-1')).records['progress/climbs']?.value).to.equal(1);
    await world.close();
    return undefined;
  });
});

describe('a data folder', () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-held-'));
  after(() => rmSync(folder, { recursive: true }));

  it('is held by one service at a time, and the second is told by whom', async () => {
    const first = vekkon(['serve', '--data', folder, '--port', '0', '--log', 'json']);
    await first.says(/"url"/);
    const second = await vekkon(['serve', '--data', folder, '--port', '0']).ended;
    expect(second.status).to.equal(1);
    expect(second.err).to.contain(`is held by process ${first.child.pid}`);
    await first.stop('SIGKILL');
    // What a killed process held does not block.
    const third = vekkon(['serve', '--data', folder, '--port', '0', '--log', 'json']);
    await third.says(/"url"/);
    expect((await third.stop()).status).to.equal(0);
  });

  it('is held against a second store in the same process too', async () => {
    const store = await openStore(folder);
    expect(await failure(openStore(folder)))
      .to.have.property('message')
      .that.contains('is held by process');
    await store.close();
    await (await openStore(folder)).close();
  });
});

describe('a response that says saved', () => {
  it('is sent after the commit was flushed to disk', async function () {
    if (spawnSync('which', ['strace']).status !== 0) return this.skip();
    const world = await World.start();
    const { hostKey } = world;
    await world.stop();
    const trace = path.join(world.folder, 'trace.txt');
    const service = vekkon(['serve', '--data', world.folder, '--port', '0', '--log', 'json'], {}, [
      'strace',
      '-f',
      '-y',
      '-e',
      'trace=fsync,fdatasync,read,write,writev',
      '-s',
      '4000',
      '-o',
      trace,
    ]);
    const [, url] = await service.says(/"url":"([^"]+)"/);
    const session = await new VekkonHost({ url: url!, hostKey, host: 'ridge-eu-1', autosave: 0 }).join('p-traced');
    session.credit('feather', 7, 'flushed before it was said');
    await session.save();
    // The service itself: its watcher would only let go of it.
    process.kill(Number((await service.says(/"pid":(\d+)/))[1]), 'SIGTERM');
    await service.ended;
    const lines = readFileSync(trace, 'utf8').split('\n');
    const received = lines.findIndex((line) => /\bread\(/.test(line) && line.includes('flushed before it was said'));
    const said = lines.findIndex(
      (line) => /\bwritev?\(/.test(line) && line.includes('\\"transactions\\":[{\\"applied'),
    );
    expect(received).to.be.greaterThan(-1);
    expect(said).to.be.greaterThan(received);
    const flushes = lines.slice(received, said).filter((line) => /\bf(data)?sync\(.*vekkon\.sqlite-wal/.test(line));
    expect(flushes.length).to.be.at.least(1);
    await world.forget();
    return undefined;
  });
});

describe('callers who misbehave', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const port = () => Number(new URL(world.url).port);
  const save = async (player: string) => {
    const session = await world.host().join(player);
    session.increase('climbs', 1);
    return session.save();
  };

  it('by a body that is cut off half-way have no effect', async () => {
    const session = await world.joinPlainly('p-cut');
    const socket = connect(port(), '127.0.0.1');
    const ended = new Promise((resolve) => socket.once('close', resolve));
    // Whole as JSON, and a byte short of what was announced: who does not wait for all of it would apply it.
    const body = JSON.stringify({
      number: 1,
      transactions: [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }],
    });
    socket.write(
      `POST /v1/sessions/${session}/saves HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${world.hostKey}\r\nContent-Length: ${body.length + 1}\r\n\r\n${body}`,
      () => socket.destroy(),
    );
    await ended;
    await save('p-other');
    expect((await world.operator.player('p-cut')).records['progress/climbs']?.value).to.equal(0);
    expect(readFileSync(world.log, 'utf8')).to.not.contain('"level":50');
  });

  it('by never reading their responses do not hold up others', async () => {
    const sockets: Socket[] = [];
    for (let index = 0; index < 20; index++) {
      const socket = connect(port(), '127.0.0.1');
      socket.pause();
      const request = `GET /openapi.json HTTP/1.1\r\nHost: x\r\n\r\n`;
      socket.write(request.repeat(200));
      sockets.push(socket);
    }
    expect((await save('p-reading')).sent).to.equal(1);
    for (const socket of sockets) socket.destroy();
  });

  it('by two thousand idle connections do not keep others out', async () => {
    const sockets = await Promise.all(
      Array.from(
        { length: 2_000 },
        () =>
          new Promise<Socket>((resolve, reject) => {
            const socket = connect(port(), '127.0.0.1', () => resolve(socket));
            socket.once('error', reject);
          }),
      ),
    );
    expect((await save('p-crowded')).sent).to.equal(1);
    for (const socket of sockets) socket.destroy();
  });
});

describe('a disturbance', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('refuses, delays and loses responses of hosts, not of operators, and can be stopped', async () => {
    await world.operator.startDisturbance({ refuse: 1, delay: { from: 1, to: 5 }, loseResponses: 0, seconds: 60 });
    const refused = await world.call('POST', '/v1/players/p-1/join', { host: 'ridge-eu-1' });
    expect([refused.status, refused.headers.get('Retry-After')]).to.deep.equal([503, '1']);
    expect((await world.operator.disturbance()).disturbance).to.include({ refused: 1, by: World.admin.email });
    await world.operator.startDisturbance({ loseResponses: 1, seconds: 60 });
    const join = { host: 'ridge-eu-1', attempt: 'only' };
    await failure(world.call('POST', '/v1/players/p-1/join', join));
    expect((await world.operator.stopDisturbance()).disturbance?.lost).to.equal(1);
    const again = await world.call('POST', '/v1/players/p-1/join', join);
    expect(again.body).to.have.nested.property('player.isNew', true);
    expect((await world.operator.sessionsOf('p-1')).sessions).to.have.length(1);
    const { activity } = await world.operator.activity({ by: World.admin.email });
    expect(activity.map(({ what }) => what)).to.deep.equal([
      'disturbance-stopped',
      'disturbance-started',
      'disturbance-started',
    ]);
  });

  it('is over after a restart, and at its end', async () => {
    await world.operator.startDisturbance({ refuse: 1, seconds: 3_600 });
    await world.restart();
    expect((await world.operator.disturbance()).disturbance).to.equal(null);
  });

  it('never runs in a live environment, unless an admin forces it', async () => {
    const live = await World.start({ live: true, environment: 'live' });
    const refused = await failure(live.operator.startDisturbance({ refuse: 0.5, seconds: 60 }));
    expect(refused).to.have.property('code', 'environment-is-live');
    const forced = await live.operator.startDisturbance({ refuse: 0.5, seconds: 60, force: true });
    expect(forced.disturbance?.refuse).to.equal(0.5);
    await live.close();
  });
});

describe('a rehearsal', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const rehearse = async (...args: string[]) => {
    const { out, status } = await vekkon(['rehearse', '--url', world.url, '--json', ...args]).ended;
    return { status, ...(JSON.parse(out) as { steps: { step: string; isAsExpected: boolean; advice?: string }[] }) };
  };

  it('walks through everything, faults too, and erases its player', async () => {
    const { steps, status } = await rehearse('--key', world.hostKey, '--faults');
    expect(steps.filter((step) => !step.isAsExpected)).to.deep.equal([]);
    expect(steps.map(({ step }) => step)).to.include.members([
      'two hosts at once',
      'a lost response',
      'an outage',
      'a killed host',
    ]);
    expect(status).to.equal(0);
    expect((await world.operator.players()).total).to.equal(0);
  });

  it('says the likeliest cause where a step fails', async () => {
    const wrong = await rehearse('--key', 'vkh_of-another-service');
    expect(wrong.status).to.equal(1);
    expect(wrong.steps.at(-1)?.advice).to.contain('another service');
    const device = await rehearse('--key', world.deviceKey);
    expect(device.steps.at(-1)?.advice).to.contain('not a host key');
  });

  it('is hurt by a disturbance, and names it', async () => {
    await world.operator.startDisturbance({ refuse: 1, seconds: 600 });
    const { steps } = await rehearse('--key', world.hostKey);
    expect(steps.at(-1)?.advice).to.contain('vekkon disturb show');
    await world.operator.stopDisturbance();
  });

  it('looks at a running host, and notices who was never saved or left', async () => {
    const config = path.join(world.folder, 'config');
    mkdirSync(config);
    writeFileSync(
      path.join(config, 'signed-in.json'),
      JSON.stringify({ url: world.url, token: world.operatorToken, email: '' }),
    );
    await world.joinPlainly('p-hopping', 'ridge-eu-4');
    await world.call('POST', `/v1/sessions/${await world.joinPlainly('p-unsaved', 'ridge-eu-4')}/leave`);
    const { out } = await vekkon(['rehearse', '--watch', 'ridge-eu-4', '--json'], { VEKKON_CONFIG: config }).ended;
    const { noticed } = JSON.parse(out) as { noticed: { player: string; noticed: string }[] };
    expect(noticed.map((one) => [one.player, one.noticed])).to.deep.equal([['p-unsaved', 'left without a save']]);
    expect(existsSync(world.log)).to.equal(true);
  });
});
