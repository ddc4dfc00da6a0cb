import { expect } from 'chai';
import type { HostSession } from '@vekkon/client';
import type { Browser, Page } from 'playwright-core';
import { openBrowser } from './world/browser.js';
import { serious } from './world/serious.js';
import { World } from './world/world.js';

describe('the console, while the game goes', () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let session: HostSession;
  const complaints: string[] = [];
  const asked: string[] = [];
  before(async () => {
    world = await World.start();
    browser = await openBrowser();
    page = await browser.newPage();
    page.on('pageerror', (error) => complaints.push(error.message));
    page.on('request', (request) => asked.push(new URL(request.url()).pathname));
    await page.goto(`${world.url}/console/`);
    await page.getByLabel('E-mail').fill(World.admin.email);
    await page.getByLabel('Password').fill(World.admin.password);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Overview' }).waitFor();
  });
  after(async () => {
    await browser.close();
    await world.close();
  });

  it('begins with the overview, whose first steps tick themselves off', async () => {
    await page.getByText('A player has joined: not yet').waitFor();
    const session = await world.host('ridge-eu-1').join('p-10442', { name: 'Maren Holt' });
    await page.getByText('A player has joined: done').waitFor();
    await page.getByRole('region', { name: 'Hosts' }).getByText('ridge-eu-1').waitFor();
    session.increase('climbs', 1);
    await session.save();
    await page.getByText('A save has arrived: done').waitFor();
    await page.getByRole('button', { name: 'The same as a table' }).click();
    await page.getByRole('columnheader', { name: 'Save, 99 of 100' }).waitFor();
    await session.leave();
    await (await world.host('ridge-eu-1').join('p-10442')).leave();
    // All of it is done: it shows no steps any more.
    await page.getByRole('region', { name: 'First steps' }).waitFor({ state: 'detached' });
  });

  it('shows what happens to a player as it happens, and asks for nothing while nothing does', async () => {
    const session = await world.host('ridge-eu-1').join('p-10442');
    await page.clock.install();
    await page.goto(`${world.url}/console/players/p-10442`);
    await page.getByText('in session on ridge-eu-1').waitFor();
    session.increase('climbs', 41);
    await session.save();
    await page.getByText('42', { exact: true }).waitFor();
    await session.leave();
    await page.getByText('in session on ridge-eu-1').waitFor({ state: 'detached' });
    // What it was told last is looked at first, until a while has passed in which it asked for nothing.
    const during = async (milliseconds: number) => {
      const before = asked.length;
      await page.clock.fastForward(milliseconds);
      await page.evaluate(() => fetch('/health').then((answer) => answer.text()));
      return asked.slice(before).filter((path) => path !== '/health');
    };
    for (let looks = 0; looks < 20 && (await during(4_000)).length > 0; looks++);
    // A while in which nothing happens: whoever asked by the clock would ask. After 40 s of silence a stream counts as dead.
    expect(await during(20_000)).to.deep.equal([]);
  });

  it('gives many the same after it has shown what it would do, and takes it back', async () => {
    await world.host().join('p-2');
    await page.goto(`${world.url}/console/gifts`);
    await page.getByText('Nothing was given to many yet.').waitFor();
    await page.getByRole('button', { name: 'New gift' }).click();
    await page.getByLabel('What is it?').fill('ridge festival');
    await page.getByRole('button', { name: 'Look what it would do' }).click();
    await page.getByText('currency/feather 40 → 140').first().waitFor();
    await page.getByRole('button', { name: 'Give it to 2' }).click();
    await page.getByRole('article', { name: 'ridge festival' }).getByText('2 have it').waitFor();
    expect((await world.operator.player('p-2')).records['currency/feather']?.value).to.equal(140);
    await page.getByRole('button', { name: 'Take back' }).click();
    await page.getByRole('button', { name: 'Take it back' }).click();
    await page.getByText('taken back from 2').waitFor();
    expect((await world.operator.player('p-2')).records['currency/feather']?.value).to.equal(40);
  });

  it('lists what happened, by whom and to whom, as it happens', async () => {
    await page.goto(`${world.url}/console/activity`);
    const list = page.getByRole('region', { name: 'What happened' });
    await list.getByRole('cell', { name: 'gift-taken-back' }).waitFor();
    session = await world.host('ridge-eu-9').join('p-3');
    await list.getByRole('cell', { name: 'ridge-eu-9' }).waitFor();
    await list.getByLabel('Player', { exact: true }).fill('p-3');
    await page.keyboard.press('Enter');
    await list.getByRole('cell', { name: 'gift-taken-back' }).waitFor({ state: 'detached' });
    expect(await list.getByRole('row').count()).to.equal(2);
  });

  it('makes a checkpoint, shows what restoring it would change, and erases a player whose id is typed in', async () => {
    await page.goto(`${world.url}/console/players/p-3`);
    await page.getByRole('tab', { name: 'Checkpoints' }).click();
    await page.getByLabel('Name of a new checkpoint').fill('before the repair');
    await page.keyboard.press('Enter');
    await page.getByText('“before the repair” is made.').waitFor();
    session.debit('feather', 15, 'silk');
    await session.save();
    await page.getByRole('button', { name: 'Restore', exact: true }).click();
    await page.getByText('25 → 40').waitFor();
    await page.getByRole('button', { name: 'Restore it' }).click();
    await page.getByText('Restored: currency/feather.').waitFor();
    await page.getByRole('button', { name: 'Erase …' }).click();
    const erase = page.getByRole('button', { name: 'Erase for good' });
    await page.getByLabel("The player's id").fill('p-33');
    expect(await erase.isDisabled()).to.equal(true);
    await page.getByLabel("The player's id").fill('p-3');
    await erase.click();
    await page.getByRole('heading', { name: 'Players' }).waitFor();
    expect((await world.call('GET', '/v1/players/p-3')).status).to.equal(404);
  });

  it('has nothing serious in the way of those who can’t see it, or have no mouse', async () => {
    const found: { [name: string]: readonly string[] } = {};
    const pages = ['overview', 'players', 'players/p-10442', 'boards', 'tuning', 'gifts', 'activity', 'manifest'];
    for (const name of pages) {
      await page.goto(`${world.url}/console/${name}`);
      await page.getByRole('heading', { level: 1 }).waitFor();
      await page.locator('.p-skeleton').first().waitFor({ state: 'detached' });
      found[name] = await serious(page);
    }
    expect(found).to.deep.equal(Object.fromEntries(pages.map((name) => [name, []])));
    expect(complaints).to.deep.equal([]);
  });
});
