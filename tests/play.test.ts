import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { createRequire } from 'node:module';
import type { AddressInfo } from 'node:net';
import path from 'node:path';
import { gzipSync } from 'node:zlib';
import { expect } from 'chai';
import type { CheckpointList, PlayerDetails } from '@vekkon/protocol';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { openBrowser } from './world/browser.js';
import { IdentityProviderStandIn } from './world/identity-provider.js';
import { until } from './world/until.js';
import { World } from './world/world.js';

interface Drift {
  readonly feathers: number;
  readonly metres: number;
  readonly seconds: number;
}

interface Score {
  readonly best: number | null;
  readonly latest: number | null;
  readonly entries: readonly { readonly value: number; readonly name?: string }[];
}

describe('the game at /play, in a browser', () => {
  let world: World;
  let browser: Browser;
  let context: BrowserContext;
  before(async () => {
    world = await World.start();
    browser = await openBrowser();
  });
  beforeEach(async () => (context = await browser.newContext({ viewport: { width: 1280, height: 800 } })));
  afterEach(() => context.close());
  after(async () => {
    await browser.close();
    await world.close();
  });

  const button = (page: Page, name: string) => page.getByRole('button', { name, exact: true });
  const saved = (page: Page) => page.getByText('Everything is saved.').waitFor();
  const text = (page: Page, id: string) => page.locator(`#${id}`).textContent();

  async function open(): Promise<Page> {
    const page = await context.newPage();
    page.on('pageerror', (error) => expect.fail(`the page threw: ${error.message}`));
    await page.goto(`${world.url}/play/`);
    await saved(page);
    await drawn(page);
    return page;
  }

  /** Flies until the first feather is found. */
  async function fly(page: Page): Promise<void> {
    const found = Number(await text(page, 'feathers'));
    await button(page, 'Fly').click();
    await page.waitForFunction((least) => Number(document.getElementById('feathers')?.textContent) > least, found);
    await button(page, 'Pause').click();
  }

  /** Flies a little further. */
  async function flyOn(page: Page): Promise<void> {
    const from = parseInt((await text(page, 'metres')) ?? '');
    await button(page, 'Fly').click();
    await page.waitForFunction((least) => parseInt(document.getElementById('metres')?.textContent ?? '') > least, from);
    await button(page, 'Pause').click();
  }

  /** Who plays on the page, by what the browser keeps. */
  async function kept(page: Page): Promise<{ player: string; session: string }> {
    const all = await page.evaluate(() => Object.entries({ ...localStorage }));
    const read = new Map(all.map(([key, value]) => [key, JSON.parse(String(value)) as Record<string, unknown>]));
    const tab = [...read.values()].find(({ session }) => session !== undefined);
    const { player } = read.get('vekkon/game/player') as { player: { id: string } };
    return { player: player.id, session: String(tab?.['session']) };
  }

  /** What is drawn is what is known. */
  const drawn = (page: Page) =>
    page.evaluate(() => new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve))));

  async function stored(player: string): Promise<PlayerDetails['records']> {
    return (await world.operator.player(player)).records;
  }

  /** What the page shows equals what the service holds. */
  async function expectSame(page: Page, player?: string): Promise<void> {
    await saved(page);
    await drawn(page);
    const records = await stored(player ?? (await kept(page)).player);
    const { feathers, metres, seconds } = records['progress/drift']?.value as unknown as Drift;
    const score = (records['score/valley/gull']?.value ?? {
      best: null,
      latest: null,
      entries: [],
    }) as unknown as Score;
    const time = (value: number | null) => (value === null ? 'none yet' : `${value.toFixed(1)} s`);
    expect({
      feathers: await text(page, 'feathers'),
      metres: await text(page, 'metres'),
      seconds: await text(page, 'seconds'),
      best: await text(page, 'best'),
      last: await text(page, 'last'),
      entries: await page.locator('#entries li').allTextContents(),
      invert: await page.getByLabel('Invert pitch').isChecked(),
    }).to.deep.equal({
      feathers: String(feathers),
      metres: `${Math.round(metres)} m`,
      seconds: `${seconds.toFixed(1)} s`,
      best: time(score.best),
      last: time(score.latest),
      entries: score.entries.map(({ value, name }) => `${value.toFixed(1)} s${name === undefined ? '' : `  ${name}`}`),
      invert: records['preference/invert-pitch']?.value,
    });
  }

  it('keeps everything when the tab is closed and opened again', async () => {
    const first = await open();
    await fly(first);
    await first.getByLabel('Invert pitch').check();
    await first.close();
    const second = await open();
    expect(Number(await text(second, 'feathers'))).to.be.at.least(1);
    expect(await second.getByLabel('Invert pitch').isChecked()).to.equal(true);
    await expectSame(second);
  });

  it('hands over to a second tab, tells the first, and gives it back when asked', async () => {
    const first = await open();
    await fly(first);
    const second = await open();
    await first.getByText('You play in another tab now.').waitFor();
    expect(await button(first, 'Fly').isDisabled()).to.equal(true);
    await expectSame(second);
    await flyOn(second);
    await button(first, 'Play here').click();
    await second.getByText('You play in another tab now.').waitFor();
    await expectSame(first);
  });

  it('goes on offline in mid-game, says so, and saves when the network is back', async () => {
    const page = await open();
    await button(page, 'Fly').click();
    await context.setOffline(true);
    await page.getByText('No connection: you play on what was last known here.').waitFor();
    await button(page, 'Pause').click();
    await page.getByLabel('Invert pitch').check();
    await button(page, 'Save here').click();
    await page.getByText(/^Saved here/).waitFor();
    await context.setOffline(false);
    await expectSame(page);
    const { session } = await kept(page);
    const { body } = await world.call('GET', `/v1/sessions/${session}/checkpoints`);
    const names = (body as CheckpointList).checkpoints.map(({ name }) => name);
    expect(names).to.have.length(1);
    await page.reload();
    await page.locator('#checkpoints button').first().waitFor();
    expect(await page.locator('#checkpoints button').allTextContents()).to.have.length(1);
  });

  it('saves once when it is loaded again during a save', async () => {
    const page = await open();
    let held: (() => void) | undefined;
    const asked = new Promise<void>((resolve) => {
      void page.route('**/saves', async (route) => {
        // It reaches the service; the page never hears of it.
        const going = route.fetch();
        held = () => void going.catch(() => undefined);
        await going;
        resolve();
      });
    });
    await fly(page);
    await button(page, 'Start over').click();
    await fly(page);
    await button(page, 'Save here').click();
    await asked;
    held?.();
    await page.unrouteAll({ behavior: 'ignoreErrors' });
    await page.reload();
    await expectSame(page);
  });

  const full = `Storage.prototype.setItem = () => {
    throw new DOMException('The quota has been exceeded.', 'QuotaExceededError');
  };`;
  const forbidden = `for (const name of ['localStorage', 'sessionStorage']) {
    Object.defineProperty(window, name, {
      get() {
        throw new DOMException('The operation is insecure.', 'SecurityError');
      },
    });
  }`;
  it('sends its last save and leaves when the page is left', async () => {
    const page = await open();
    await fly(page);
    const { player, session } = await kept(page);
    await page.getByLabel('Invert pitch').check();
    await page.goto('about:blank');
    let left = await world.operator.session(session);
    await until(async () => (left = await world.operator.session(session)).endedAt !== null);
    expect(left.end).to.equal('left');
    expect((await stored(player))['preference/invert-pitch']?.value).to.equal(true);
  });

  it('joins again by itself after the machine slept and the player was on a host meanwhile', async () => {
    await context.clock.install();
    const page = await open();
    await flyOn(page);
    const { player, session } = await kept(page);
    await context.setOffline(true);
    // Its lease is over, as far as anybody can tell: a host joins the player, and leaves.
    await world.call('POST', `/v1/sessions/${session}/leave`, {});
    const onHost = await world.host('ridge-eu-1').join(player);
    void onHost.put('preference/invert-pitch', true);
    await onHost.leave();
    await page.clock.fastForward('20:00');
    await context.setOffline(false);
    await page.waitForFunction(() => (document.getElementById('invert') as HTMLInputElement).checked);
    await expectSame(page);
    expect((await kept(page)).session).not.to.equal(session);
  });

  for (const [what, script] of Object.entries({ full, forbidden })) {
    it(`goes on where the browser's storage is ${what}, says so, and saves`, async () => {
      await context.addInitScript({ content: script });
      const before = (await world.operator.players()).total;
      const page = await open();
      expect(await text(page, 'status')).to.contain('This device keeps nothing');
      await fly(page);
      await page.getByLabel('Invert pitch').check();
      const { players, total } = await world.operator.players();
      expect(total).to.equal(before + 1);
      await page.waitForFunction(() => document.getElementById('status')?.textContent?.startsWith('Everything'));
      await expectSame(page, players[0]!.id);
    });
  }

  it('plays on while the service is stopped, and finds it again when it is started', async () => {
    const page = await open();
    await fly(page);
    const port = Number(new URL(world.url).port);
    await world.stop();
    await page.getByText('No connection').waitFor();
    await flyOn(page);
    await world.startAgain(port);
    await expectSame(page);
  });

  it('loads where it saved, and asks which to give up of too many', async () => {
    const page = await open();
    await fly(page);
    const feathers = await text(page, 'feathers');
    await button(page, 'Save here').click();
    await page.getByText(/^Saved here/).waitFor();
    await flyOn(page);
    await page.locator('#checkpoints button').first().click();
    await page.getByText(/^Back at/).waitFor();
    expect(await text(page, 'feathers')).to.equal(feathers);
    await expectSame(page);
    for (let count = 1; count < 5; count++) {
      await flyOn(page);
      await button(page, 'Save here').click();
      await page.waitForFunction((n) => document.querySelectorAll('#checkpoints button').length === n, count + 1);
    }
    await flyOn(page);
    await button(page, 'Save here').click();
    await page.getByText('Which one do you give up?').waitFor();
    const oldest = page.locator('#checkpoints button').last();
    const given = await oldest.textContent();
    await oldest.click();
    await page.getByRole('heading', { name: 'Load' }).waitFor();
    const left = await page.locator('#checkpoints button').allTextContents();
    expect(left).to.have.length(5).and.not.to.include(given);
    await expectSame(page);
  });

  it('keeps the time and the name of whoever comes to the camp, and tells no time yet from a time', async () => {
    const page = await open();
    expect([await text(page, 'best'), await text(page, 'last')]).to.deep.equal(['none yet', 'none yet']);
    // Brought close to the camp from outside: the flight takes a second.
    const { player } = await kept(page);
    for (const [seconds, name] of [
      [61.3, 'Maren'],
      [58.2, ''],
    ] as const) {
      const value = { feathers: 2, metres: 1_780, height: 300, seconds };
      const { records } = await world.operator.player(player);
      const revision = records['progress/drift']?.revision;
      const put = await world.call('PUT', `/v1/players/${player}/records/progress/drift`, value, {
        'If-Match': `"${revision}"`,
      });
      expect(put.status).to.equal(200);
      await page.waitForFunction(() => document.getElementById('metres')?.textContent === '1780 m');
      await button(page, 'Fly').click();
      await page.getByLabel('Your name').fill(name);
      await button(page, 'Write it down').click();
      await saved(page);
    }
    expect(await page.locator('#entries li').allTextContents()).to.have.length(2);
    await expectSame(page);
  });

  it('changes under the player’s hands when the weather is tuned', async () => {
    const page = await open();
    await page.getByText('Thermals as usual.').waitFor();
    const { tuning } = world.operator;
    const { revision } = await tuning.put('thermal-strength', { value: 2, revision: 0 });
    const second = await tuning.put('storm-warning', { value: true, revision });
    const third = await tuning.put('camp-note', { value: 'Tie everything down.', revision: second.revision });
    await tuning.publish({ note: 'a storm', revision: third.revision });
    await page.getByText('Thermals strong: 200 %. A storm is near!').waitFor();
    await page.getByText('Tie everything down.').waitFor();
    await tuning.reissue(0);
    await page.getByText('Thermals as usual.').waitFor();
  });

  it('keeps one number with the five lines of the guide, on a page from elsewhere', async () => {
    const guide = readFileSync(new URL('../docs/on-a-device.md', import.meta.url), 'utf8');
    const lines = /```html\n([\s\S]*?)```/.exec(guide)?.[1] ?? '';
    const html = lines.replaceAll('http://127.0.0.1:4600', world.url).replace('vkd_…', world.deviceKey);
    const elsewhere = createServer((_request, response) => response.setHeader('Content-Type', 'text/html').end(html));
    await new Promise<void>((resolve) => elsewhere.listen(0, '127.0.0.1', resolve));
    try {
      const url = `http://127.0.0.1:${(elsewhere.address() as AddressInfo).port}/`;
      const first = await context.newPage();
      await first.goto(url);
      await first.getByText('Landings: 0').click();
      await first.getByText('Landings: 1').click();
      await first.getByText('Landings: 2').waitFor();
      const { player } = await kept(first);
      await first.close();
      const second = await context.newPage();
      await second.goto(url);
      await second.getByText('Landings: 2').waitFor();
      await until(async () => (await stored(player))['progress/landings']?.value === 2);
    } finally {
      elsewhere.closeAllConnections();
      elsewhere.close();
    }
  });

  it('keeps the flights of whoever makes an account, on another device too', async () => {
    const email = 'ada@highfell.example';
    const password = 'a-warm-thermal';
    const enter = async (page: Page, button: string) => {
      await page.getByRole('button', { name: 'Account …' }).click();
      await page.getByLabel('E-mail').fill(email);
      await page.getByLabel('Password').fill(password);
      await page.getByRole('button', { name: button, exact: true }).click();
    };
    const flown = (page: Page) => page.evaluate('player.value("landings")');
    const here = await (await browser.newContext()).newPage();
    const there = await (await browser.newContext()).newPage();
    for (const page of [here, there]) {
      // What the page calls its player is its own: the test looks at it from within.
      await page.route('**/play/game.js', async (route) => {
        const answer = await route.fetch();
        await route.fulfill({ response: answer, body: `${await answer.text()}\nwindow.player = player;` });
      });
      await page.goto(`${world.url}/play/`);
      await page.getByText('Everything is saved.').waitFor();
    }
    await here.evaluate('player.increase("landings", 3) && player.save()');
    await there.evaluate('player.increase("landings", 4)');
    await enter(here, 'Make an account');
    await here.getByText('You have an account').waitFor();
    await here.getByRole('button', { name: 'Fly on' }).click();
    await enter(there, 'Sign in');
    await there.getByText('You have flown in both').waitFor();
    expect(await flown(there)).to.equal(4);
    await there.getByRole('button', { name: 'Both together' }).click();
    await there.getByRole('button', { name: email }).waitFor();
    expect(await flown(there)).to.equal(7);
    // What it says last has arrived before its browser is ended.
    const session = (await there.evaluate('player.session')) as string;
    await there.goto('about:blank');
    await until(async () => (await world.operator.session(session)).endedAt !== null);
    await there.context().close();
    // Loaded again, it is simply in.
    await here.reload();
    await here.getByRole('button', { name: email }).waitFor();
    await here.getByText('Everything is saved.').waitFor();
    expect(await flown(here)).to.equal(7);
    await here.context().close();
  });

  it('signs in with an identity provider, and comes back to the page with what was flown', async () => {
    const post = await IdentityProviderStandIn.start();
    const about = { title: 'Highfell Post', issuer: post.issuer, clientId: 'gliders' };
    await world.operator.identities.set('highfell-post', about);
    post.person = { sub: 'isbet', email: 'isbet@highfell.example', email_verified: true };
    const [here, there] = [await browser.newContext(), await browser.newContext()];
    try {
      const page = await here.newPage();
      await page.goto(`${world.url}/play/`);
      await page.getByText('Everything is saved.').waitFor();
      const { player } = await kept(page);
      await page.getByRole('button', { name: 'Account …' }).click();
      await page.getByRole('button', { name: 'Sign in with Highfell Post' }).click();
      await page.getByRole('button', { name: 'isbet@highfell.example' }).waitFor();
      expect(page.url()).to.equal(`${world.url}/play/`);
      expect((await kept(page)).player).to.equal(player);
      const other = await there.newPage();
      await other.goto(`${world.url}/play/`);
      await other.getByText('Everything is saved.').waitFor();
      await other.getByRole('button', { name: 'Account …' }).click();
      post.lies = { says: 'no' };
      await other.getByRole('button', { name: 'Sign in with Highfell Post' }).click();
      await other.getByText('You are not signed in: begin again').waitFor();
      await other.getByRole('button', { name: 'Fly on' }).click();
      post.lies = {};
      await other.getByRole('button', { name: 'Account …' }).click();
      await other.getByRole('button', { name: 'Sign in with Highfell Post' }).click();
      await other.getByRole('button', { name: 'isbet@highfell.example' }).waitFor();
      await until(async () => (await kept(other)).player === player);
    } finally {
      await Promise.all([here.close(), there.close()]);
      await world.operator.identities.remove('highfell-post');
      await post.close();
    }
  });

  it('takes no more of the wire than 30 kB, and nothing that only Node has', () => {
    const client = path.dirname(createRequire(import.meta.url).resolve('@vekkon/client/package.json'));
    const file = readFileSync(path.join(client, 'dist/browser/vekkon-player.js'));
    expect(gzipSync(file).length).to.be.below(30_000);
    expect(file.toString()).not.to.match(/from\s*["'`]node:|\brequire\(/);
  });

  it('is a game of less than two hundred lines', () => {
    const game = readFileSync(new URL('../packages/demo/play/game.js', import.meta.url), 'utf8');
    expect(game.split('\n').length).to.be.below(200);
  });
});
