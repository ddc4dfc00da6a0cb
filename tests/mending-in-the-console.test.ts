import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import type { HostSession } from '@vekkon/client';
import { openBrowser, windowOf } from './world/browser.js';
import { World } from './world/world.js';

const player = 'p-10442';

describe('the page of a player', () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let session: HostSession;
  const complaints: string[] = [];
  before(async () => {
    world = await World.start();
    session = await world.host('ridge-eu-3').join(player, { name: 'Maren Holt' });
    session.put('flight', { chapter: 3, charted: ['gull-ridge'], metres: 0 });
    session.gain('pack', 'flare', 2);
    await session.save();
    browser = await openBrowser();
    page = await browser.newPage();
    page.on('pageerror', (error) => complaints.push(error.message));
    await page.goto(`${world.url}/console/players/${player}`);
    await page.getByLabel('E-mail').fill(World.admin.email);
    await page.getByLabel('Password').fill(World.admin.password);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Maren Holt' }).waitFor();
  });
  after(async () => {
    await browser.close();
    await world.close();
  });

  const stored = async (key: string) => (await world.operator.player(player)).records[key]!;
  const record = (key: string) => page.locator(`[data-mend="${key}"]`);
  const sending = () => page.getByRole('region', { name: 'What will be sent' });
  /** As a person does it: what stood there is typed over. */
  const type = async (name: string, number: string) => {
    await page.getByRole('spinbutton', { name, exact: true }).click();
    await page.keyboard.press('Control+A');
    await page.keyboard.type(number);
  };
  const begin = (key: string) => page.getByRole('button', { name: `Change ${key}`, exact: true }).click();

  it('gathers edits, shows them as a difference, and sends them as one; the host hears of them', async () => {
    await page.getByRole('tab', { name: 'Change' }).click();
    await page.getByText('They are in a session on ridge-eu-3').waitFor();
    await begin('progress/climbs');
    await type('progress/climbs', '17');
    await begin('currency/feather');
    await type('Balance of currency/feather', '75');
    await begin('inventory/pack');
    await type('How many of flare', '5');
    await page.keyboard.press('Tab');
    await sending().getByText('40 → 75').waitFor();
    await sending().getByText('stacks · flare: 2 → 5').waitFor();
    expect(await sending().getByRole('button', { name: 'Send all of it' }).isDisabled()).to.equal(true);
    await sending().getByLabel('Why?').fill('lost in a storm');
    const heard = new Promise((resolve) => session.watch('progress/climbs', (value) => resolve(value)));
    await page.keyboard.press('Enter');
    await page.getByText('Changed: currency/feather, inventory/pack, progress/climbs. ridge-eu-3 was told.').waitFor();
    expect(await heard).to.equal(17);
    expect((await stored('currency/feather')).value).to.equal(75);
    const [line] = (await world.operator.ledger(player)).lines;
    expect([line?.reason, line?.by]).to.deep.equal(['lost in a storm', World.admin.email]);
  });

  it('never overwrites unseen what somebody else wrote meanwhile', async () => {
    await begin('progress/flight');
    await type('chapter', '9');
    session.put('flight', { chapter: 4, charted: ['gull-ridge'], metres: 0 });
    await session.save();
    await record('progress/flight').getByText('It was changed meanwhile, by revision 3: chapter: 3 → 4.').waitFor();
    await sending().getByLabel('Why?').fill('a wrong chapter');
    await page.keyboard.press('Enter');
    await sending().getByText('Nothing was changed:').waitFor();
    expect((await stored('progress/flight')).value).to.have.property('chapter', 4);
    await record('progress/flight').getByRole('button', { name: 'Begin anew from that' }).click();
    await type('chapter', '9');
    await sending().getByText('chapter: 4 → 9').waitFor();
    await page.getByRole('button', { name: 'Send all of it' }).click();
    await page.getByText('Changed: progress/flight.').waitFor();
    expect((await stored('progress/flight')).value).to.have.property('chapter', 9);
  });

  it('says where a value does not fit before it is sent', async () => {
    await begin('progress/flight');
    await type('chapter', '99');
    await record('progress/flight').getByRole('alert').getByText('must be <= 40').waitFor();
    await sending().getByLabel('Why?').fill('too far');
    expect(await sending().getByRole('button', { name: 'Send all of it' }).isDisabled()).to.equal(true);
    await record('progress/flight').getByRole('button', { name: 'Leave it' }).click();
    await sending().waitFor({ state: 'detached' });
  });

  it('submits a result to a score', async () => {
    await begin('score/gorge-run');
    await type('A result for score/gorge-run', '61250');
    await sending().getByText('a result of 61250').waitFor();
    await sending().getByLabel('Why?').fill('the clock was wrong');
    await page.keyboard.press('Enter');
    await page.getByText('Changed: score/gorge-run.').waitFor();
    expect((await stored('score/gorge-run')).value).to.include({ latest: 61_250 });
  });

  it('lists revisions in words, compares two of them, and brings one back after asking', async () => {
    await page.getByRole('tab', { name: 'History' }).click();
    await page.getByLabel('Of which record').click();
    await page.getByRole('option', { name: 'progress/flight' }).click();
    const line = (revision: number) => page.locator(`[data-revision="progress/flight ${revision}"]`);
    await line(4).getByText('chapter: 4 → 9').waitFor();
    await line(4).getByText('a wrong chapter').waitFor();
    await line(2).getByRole('button', { name: 'Compare' }).click();
    await line(4).getByRole('button', { name: 'Compare' }).click();
    await page.getByRole('heading', { name: 'From revision 2 to 4' }).waitFor();
    await page.locator('.compared').getByText('chapter: 3 → 9').waitFor();
    await line(3).getByRole('button', { name: 'Bring back' }).click();
    await page.locator('.compared').getByText('chapter: 9 → 4').waitFor();
    await page.getByRole('button', { name: 'Bring it back' }).click();
    await page.getByText('progress/flight holds again what it held at revision 3').waitFor();
    expect((await stored('progress/flight')).value).to.have.property('chapter', 4);
  });

  it('shows what was different at a moment, and brings back what is chosen of it', async () => {
    const moment = new Date(Date.now() + 1_000);
    const local = new Date(moment.getTime() - moment.getTimezoneOffset() * 60_000).toISOString().slice(0, 19);
    await page.waitForFunction((at) => Date.now() > at, moment.getTime());
    session.put('flight', { chapter: 5, charted: ['gull-ridge'], metres: 0 });
    session.increase('climbs', 1);
    await session.save();
    await page.getByLabel('As they were at').fill(local);
    await page.getByRole('button', { name: 'Look back' }).click();
    const then = page.getByRole('region', { name: 'As they were' });
    await then.getByText('chapter: 5 → 4').waitFor();
    await then.getByLabel('progress/climbs').uncheck();
    await then.getByRole('button', { name: 'Bring it back' }).click();
    await page.getByText(/Restored as it was .*: progress\/flight\./).waitFor();
    expect((await stored('progress/flight')).value).to.have.property('chapter', 4);
    expect((await stored('progress/climbs')).value).to.equal(18);
    expect(complaints).to.deep.equal([]);
  });

  it('gives everything that is kept of a player as a file', async () => {
    const downloading = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Export' }).click();
    const download = await downloading;
    expect(download.suggestedFilename()).to.equal(`${player}.json`);
    const document = JSON.parse(readFileSync(await download.path(), 'utf8')) as {
      readonly history: readonly unknown[];
    };
    expect(document.history.length).to.be.greaterThan(5);
  });

  it('offers no changes to whoever may only look', async () => {
    const token = await world.tokenOf('ada@highfell.example', 'viewer');
    const other = await (await windowOf(browser, world.url, token)).newPage();
    await other.goto(`${world.url}/console/players/${player}`);
    await other.getByRole('tab', { name: 'History' }).waitFor();
    expect(await other.getByRole('tab', { name: 'Change' }).count()).to.equal(0);
    expect(await other.getByRole('button', { name: 'Export' }).count()).to.equal(0);
  });
});
