import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import type { HostSession } from '@vekkon/client';
import { openBrowser } from './world/browser.js';
import { World } from './world/world.js';

describe('the console', () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let session: HostSession;
  const complaints: string[] = [];

  before(async () => {
    world = await World.start();
    const host = world.host('ridge-eu-3');
    session = await host.join('p-10442', { name: 'Maren Holt' });
    await host.join('p-10443', { name: 'Tobin Vane' });
    browser = await openBrowser();
    page = await browser.newPage();
    page.on('pageerror', (error) => complaints.push(error.message));
    page.on('console', (message) => {
      if (message.type() === 'error' && !message.text().includes('401')) complaints.push(message.text());
    });
  });
  after(async () => {
    await browser.close();
    await world.close();
  });

  it('asks who you are, and says so when it does not know you', async () => {
    await page.goto(`${world.url}/console/players/p-10442`);
    await page.getByLabel('E-mail').fill(World.admin.email);
    await page.getByLabel('Password').fill('wrong');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByRole('alert').getByText('Check both').waitFor();
    await page.getByLabel('Password').fill(World.admin.password);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Maren Holt' }).waitFor();
  });

  it('finds a player by a part of their name, with the keyboard alone', async () => {
    await page.getByRole('link', { name: 'Players', exact: true }).first().click();
    await page.getByLabel('Find by name or id').fill('nobody at all');
    await page.getByText('Nobody matches').waitFor();
    await page.getByLabel('Find by name or id').fill('maren');
    await page.getByText('1 player', { exact: true }).waitFor();
    await page.getByLabel('Which players').click();
    await page.getByRole('option', { name: 'With unsettled transactions' }).click();
    await page.getByText('Nobody is among them').waitFor();
    await page.getByLabel('Which players').click();
    await page.getByRole('option', { name: 'In a session now' }).click();
    await page.getByText('1 player', { exact: true }).waitFor();
    expect(await page.getByRole('row').count()).to.equal(2);
    await page.getByRole('link', { name: 'Maren Holt' }).focus();
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Maren Holt' }).waitFor();
    await page.getByText('in session on ridge-eu-3').waitFor();
  });

  it('shows the balance that a save has just changed', async () => {
    const feather = page.locator('[data-key="currency/feather"]');
    expect(await feather.innerText()).to.contain('40');
    session.credit('feather', 1_234, 'gorge cleared');
    session.submit('gorge-run', 61_250);
    await session.save();
    await feather.getByText('1,274').waitFor();
    expect(await page.locator('[data-key="score/gorge-run"]').innerText()).to.contain('1:01.250');
    expect(await page.locator('[data-key="score/longest-glide"]').innerText()).to.contain('none yet');
  });

  it('shows the records as JSON', async () => {
    await page.getByRole('button', { name: 'JSON', exact: true }).click();
    const shown = JSON.parse(await page.locator('.json pre').innerText()) as Record<string, unknown>;
    expect(shown['currency/feather']).to.deep.equal({ revision: 2, value: 1_274 });
  });

  it('shows what was loaded at join and stored at leave', async () => {
    await session.leave();
    await page.getByRole('tab', { name: 'Sessions' }).click();
    const stay = page.locator('ol li').first();
    await stay.getByText('left').waitFor();
    await stay.getByRole('button').click();
    const row = stay.getByRole('row').filter({ hasText: 'currency/feather' });
    await row.waitFor();
    expect(await row.getByRole('cell').allInnerTexts()).to.deep.equal(['40', '1,274']);
    await (await world.host('ridge-eu-4').join('p-10442')).leave();
    await page.locator('ol li').nth(1).getByText('carried over').waitFor();
  });

  it('lets a late transaction be settled, after asking', async () => {
    const late = await world.joinPlainly('p-10442', 'ridge-eu-5');
    await world.joinPlainly('p-10442', 'ridge-eu-5');
    const credit = { op: 'credit', key: 'currency/feather', amount: 26, reason: 'gorge' };
    const transactions = [
      { label: 'gorge cleared', changes: [credit] },
      { label: 'doubled by mistake', changes: [credit] },
    ];
    await world.call('POST', `/v1/sessions/${late}/saves`, { number: 1, transactions });
    await page.getByRole('tab', { name: 'Unsettled' }).click();
    const waiting = page.locator('[data-unsettled]').filter({ hasText: 'gorge cleared' });
    await waiting.getByRole('button', { name: 'Settle', exact: true }).click();
    await waiting.getByRole('button', { name: 'Settle it' }).click();
    await waiting.waitFor({ state: 'detached' });
    const doubled = page.locator('[data-unsettled]').filter({ hasText: 'doubled by mistake' });
    await doubled.getByRole('button', { name: 'Drop', exact: true }).click();
    await doubled.getByRole('button', { name: 'Drop it' }).click();
    await page.getByText('Nothing is unsettled').waitFor();
    expect((await world.operator.player('p-10442')).records['currency/feather']?.value).to.equal(1_300);
    await page.getByRole('link', { name: 'Activity' }).click();
    await page.getByRole('cell', { name: 'unsettled-settled' }).waitFor();
    await page.getByRole('cell', { name: 'unsettled-dropped' }).waitFor();
  });

  it('says that a disturbance runs, and ends it', async () => {
    await world.operator.startDisturbance({ refuse: 0.2, seconds: 600 });
    await page.getByText('A disturbance runs here').waitFor();
    await page.getByRole('button', { name: 'Stop it' }).click();
    await page.getByText('A disturbance runs here').waitFor({ state: 'detached' });
    expect((await world.operator.disturbance()).disturbance).to.equal(null);
  });

  it('says what is wrong when a player is not there', async () => {
    await page.goto(`${world.url}/console/players/p-nobody`);
    await page.getByRole('alert').getByText('knows no player "p-nobody"').waitFor();
  });

  it('shows every movement of the currencies, with what was there after it', async () => {
    await page.goto(`${world.url}/console/players/p-10442`);
    await page.getByRole('tab', { name: 'Ledger' }).click();
    const row = page.getByRole('row').filter({ hasText: 'gorge cleared' }).last();
    expect((await row.innerText()).replaceAll(/\s+/g, ' ')).to.contain('feather +1,234 1,274 gorge cleared ridge-eu-3');
  });

  it('brings back from the trash what a player started over with', async () => {
    const playing = await world.host('ridge-eu-7').join('p-10444', { name: 'Wren Vane' });
    playing.merge('flight', { chapter: 9 });
    await playing.save();
    playing.startOver();
    await playing.leave();
    await page.goto(`${world.url}/console/players/p-10444`);
    await page.getByRole('tab', { name: 'Trash' }).click();
    const trashed = page.locator('[data-trash="progress/flight"]');
    await trashed.getByText('started over').waitFor();
    await trashed.getByRole('button', { name: 'Bring back' }).click();
    await trashed.getByRole('button', { name: 'Bring it back' }).click();
    await page.getByRole('tab', { name: 'Records' }).click();
    await page.locator('[data-key="progress/flight"]').getByText('9', { exact: true }).waitFor();
    expect((await world.operator.player('p-10444')).records['progress/flight']?.value).to.have.property('chapter', 9);
  });

  it('brings back what a game saved, after asking', async () => {
    const saving = await world.host('ridge-eu-5').join('p-10446', { name: 'Ilse Brandt' });
    void saving.credit('feather', 10, 'climb');
    await saving.checkpoint('salt col', { summary: 'before the gorge' });
    void saving.debit('feather', 45, 'wing');
    await saving.leave();
    await page.goto(`${world.url}/console/players/p-10446`);
    await page.getByRole('tab', { name: 'Checkpoints' }).click();
    const copy = page.locator('[data-checkpoint="salt col"]');
    await copy.getByText('before the gorge').waitFor();
    await copy.getByRole('button', { name: 'Restore' }).click();
    await page.getByRole('button', { name: 'Restore it' }).click();
    await page.getByText('Restored: currency/feather.').waitFor();
    await page.getByRole('tab', { name: 'Ledger' }).click();
    await page.getByText('restored "salt col"').first().waitFor();
  });

  it('checks a manifest, says what it would change, and installs it only when misfits are accepted', async () => {
    await page.getByRole('link', { name: 'Manifest', exact: true }).click();
    await page.locator('[data-declared="currency/feather"]').getByText('starts at 40').waitFor();
    const { text } = await world.operator.manifestFile();
    const file = page.getByLabel('Manifest file');
    await file.fill(text.replace('\nboards:', '\nbords:'));
    await page.getByRole('button', { name: 'Check and compare' }).click();
    await page.getByText('did you mean "boards"?').waitFor();
    await file.fill(
      text
        .replace('maximum: 40', 'maximum: 5')
        .replace('  climbs: 0', '  rises: { formerly: [climbs], schema: { type: number, default: 0 } }'),
    );
    await page.getByRole('button', { name: 'Check and compare' }).click();
    await page.getByText('progress/climbs renamed: now progress/rises').waitFor();
    await page.getByText('1 stored records would no longer fit').waitFor();
    const install = page.getByRole('button', { name: 'Install it, for all' });
    expect(await install.isDisabled()).to.equal(true);
    await page.getByLabel('Keep them as misfits').check();
    await install.click();
    await page.getByText('Version 2 is installed.').waitFor();
    await page.locator('[data-declared="progress/rises"]').getByText('formerly climbs').waitFor();
    await page.goto(`${world.url}/console/players/p-10444`);
    await page.locator('[data-key="progress/flight"]').getByText('misfit').waitFor();
  });

  it('lets an environment learn, and shows what it learned', async () => {
    await page.getByRole('link', { name: 'Manifest', exact: true }).click();
    await page.getByRole('switch', { name: 'Learns' }).click();
    await page.getByText('It learns').waitFor();
    await world.call('PUT', '/v1/players/p-10444/records/preference/calm-air', 'true');
    await page.locator('[data-declared="preference/calm-air"]').getByText('learned').waitFor();
  });

  it('is dark when asked, and stays so', async () => {
    await page.getByRole('button', { name: 'Switch to dark' }).click();
    await page.reload();
    await page.getByRole('button', { name: 'Switch to light' }).waitFor();
    expect(await page.locator('html').getAttribute('class')).to.contain('night');
  });

  it('signs out', async () => {
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.getByRole('heading', { name: 'Sign in' }).waitFor();
  });

  it('does not make a first admin from a link that was used', async () => {
    await page.goto(`${world.url}/console/first-admin#vki_used`);
    await page.getByLabel('Name', { exact: true }).fill('Maren');
    await page.getByLabel('E-mail').fill('maren@highfell.example');
    await page.getByLabel('Password').fill('over-the-gorge');
    await page.getByRole('button', { name: 'Start' }).click();
    await page.getByRole('alert').getByText('A link works once').waitFor();
  });

  it('met no error of its own', () => {
    expect(complaints.filter((one) => !one.includes('status of 404') && !one.includes('status of 403'))).to.deep.equal(
      [],
    );
  });
});
