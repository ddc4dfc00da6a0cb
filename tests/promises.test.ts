import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import { VekkonHost } from '@vekkon/client';
import { vekkon, type Running } from './world/process.js';
import { World } from './world/world.js';

/** A service as a process of its own, on a copy of a made world's folder. */
async function serve(folder: string): Promise<{ readonly service: Running; readonly url: string }> {
  const service = vekkon(['serve', '--data', folder, '--port', '0', '--log', 'json']);
  const [, url] = await service.says(/"url":"([^"]+)"/);
  return { service, url: url! };
}

describe('a service of its own', () => {
  let hostKey: string;
  let folder: string;
  before(async () => {
    const world = await World.start();
    hostKey = world.hostKey;
    await world.host().join('p-made-before');
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-served-'));
    await world.restart();
    cpSync(world.folder, folder, { recursive: true });
    await world.close();
  });
  after(() => rmSync(folder, { recursive: true }));

  it('has a save on disk when it says so, though it is killed right after', async () => {
    const first = await serve(folder);
    const session = await new VekkonHost({ url: first.url, hostKey, host: 'ridge-eu-1' }).join('p-killed');
    for (let climb = 1; climb <= 5; climb++) {
      session.increase('climbs', 1);
      session.credit('feather', 10, `climb ${climb}`);
      await session.save();
    }
    await first.service.stop('SIGKILL');
    const second = await serve(folder);
    const again = await new VekkonHost({ url: second.url, hostKey, host: 'ridge-eu-1' }).join('p-killed');
    expect(again.player.isNew).to.equal(false);
    expect([again.value('climbs'), again.balance('feather')]).to.deep.equal([5, 90]);
    await second.service.stop();
  });

  it('answers what is running when it is asked to stop, and ends with 0', async () => {
    const { service, url } = await serve(folder);
    const session = await new VekkonHost({ url, hostKey, host: 'ridge-eu-1', deadline: 500 }).join('p-stopping');
    session.increase('climbs', 1);
    const saved = session.save();
    const ended = service.stop('SIGTERM');
    // Either it is answered, or the connection was refused before it began: never answered and lost.
    const outcome = await saved.then(
      () => 1,
      () => 0,
    );
    expect((await ended).status).to.equal(0);
    const next = await serve(folder);
    const found = await new VekkonHost({ url: next.url, hostKey, host: 'ridge-eu-1' }).join('p-stopping');
    expect(found.value('climbs')).to.be.at.least(outcome);
    await next.service.stop();
  });

  it('says that it is up, and that it is ready', async () => {
    const { service, url } = await serve(folder);
    expect(await (await fetch(`${url}/health`)).json()).to.deep.equal({ status: 'up' });
    const ready = (await (await fetch(`${url}/ready`)).json()) as { status: string; migration: string };
    expect(ready.status).to.equal('ready');
    expect(ready.migration).to.match(/^\d{4}-/);
    await service.stop();
  });

  it('writes a plain line for each join, save and leave', async () => {
    const { service, url } = await serve(folder);
    const session = await new VekkonHost({ url, hostKey, host: 'ridge-eu-1' }).join('p-logged');
    session.increase('climbs', 1);
    await session.save();
    await session.leave();
    await service.says(/join p-logged on ridge-eu-1: a new player, starting values made/);
    await service.says(/save 1 of ses_\S+: p-logged on ridge-eu-1, 1 of 1 transactions applied/);
    await service.says(/leave ses_\S+: p-logged on ridge-eu-1/);
    await service.stop();
  });
});

describe('the description of the service', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  it('lists every problem with what to do about it', async () => {
    const { problems } = (await (await fetch(`${world.url}/problems`)).json()) as {
      problems: { code: string; advice: string }[];
    };
    expect(problems.map(({ code }) => code)).to.include.members([
      'player-held',
      'save-out-of-order',
      'key-not-declared',
    ]);
    for (const { advice } of problems) expect(advice.length).to.be.greaterThan(10);
  });

  it("holds the manifest's own JSON Schema, for editors", async () => {
    const schema = (await (await fetch(`${world.url}/manifest.schema.json`)).json()) as {
      $schema: string;
      properties: object;
    };
    expect(schema.$schema).to.equal('https://json-schema.org/draft/2020-12/schema');
    expect(schema.properties).to.include.keys('progress', 'currencies', 'preferences', 'boards', 'tunables');
  });

  it('tells what never changes compressed where that is taken, and not again to whoever has it', async () => {
    for (const route of ['/openapi.json', '/manifest.schema.json']) {
      const packed = await fetch(world.url + route, { headers: { 'Accept-Encoding': 'gzip' } });
      const plain = await fetch(world.url + route, { headers: { 'Accept-Encoding': 'identity' } });
      const encodings = [packed, plain].map(({ headers }) => headers.get('Content-Encoding'));
      expect(encodings, route).to.deep.equal(['gzip', null]);
      expect(await packed.json()).to.deep.equal(await plain.json());
      const known = await fetch(world.url + route, { headers: { 'If-None-Match': packed.headers.get('ETag')! } });
      expect([known.status, await known.text()]).to.deep.equal([304, '']);
    }
  });

  it('is OpenAPI 3.1, made from the shapes that check the requests', async () => {
    const document = (await (await fetch(`${world.url}/openapi.json`)).json()) as {
      openapi: string;
      paths: Record<string, object>;
    };
    expect(document.openapi).to.equal('3.1.0');
    expect(document.paths['/v1/players/{player}/join']).to.have.nested.property(
      'post.requestBody.content.application/json.schema.properties.host',
    );
  });
});
