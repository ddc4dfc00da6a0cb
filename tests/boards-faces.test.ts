import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser } from './world/browser.js';
import { vekkon } from './world/process.js';
import { World } from './world/world.js';

const wideName = '風'.repeat(64);

describe('the faces of boards', () => {
  let world: World;
  before(async () => {
    world = await World.start();
    const host = world.host('ridge-eu-1', { deadline: 5_000 });
    for (const [index, name] of ['Maren Holt', 'Tobin Vane', 'Tobin Vane', wideName].entries()) {
      const session = await host.join(`p-${index + 1}`, { name });
      session.submit('gorge-run', 50_000 + index * 1_000);
      session.submit('longest-glide', 10_000 + index);
      await session.leave();
    }
    const odd = await host.join('p-odd', { name: 'Odd One' });
    odd.submit('longest-glide', 400_000);
    odd.submit('longest-glide', 500_000);
    await odd.leave();
    await host.close();
  });
  after(() => world.close());

  describe('the command line', () => {
    let environment: NodeJS.ProcessEnv;
    let config: string;
    const run = (...args: string[]) => vekkon(['board', ...args], environment).ended;
    before(async () => {
      config = mkdtempSync(path.join(tmpdir(), 'vekkon-config-'));
      environment = { VEKKON_CONFIG: config, VEKKON_PASSWORD: World.admin.password, TZ: 'UTC' };
      await vekkon(['sign-in', '--url', world.url, '--email', World.admin.email], environment).ended;
    });
    after(() => rmSync(config, { recursive: true }));

    it('lists boards, shows the top, a player’s place and the places around it', async () => {
      expect((await run('list')).out).to.match(/gorge-run +lower +best +milliseconds +weekly +1 +4/);
      const { out, status } = await run('top', 'gorge-run', '--count', '2');
      expect([status, out.split('\n')[0]]).to.deep.equal([0, 'RANK  PLAYER  NAME        RESULT    REACHED']);
      expect(out).to.contain('2 of 4 in season 1 of gorge-run');
      expect((await run('around', 'gorge-run', 'p-2', '--span', '1')).out).to.match(
        /2 +p-2 +Tobin Vane +0:51\.000 .*◂/,
      );
      expect((await run('find', 'gorge-run', 'p-1')).out).to.contain(
        'Maren Holt (p-1): 0:50.000, rank 1 of 4 in season 1 of gorge-run, at least as good as 100% of them.',
      );
      expect((await run('top', 'gorge-run', '--start', '9')).out).to.contain('has 4 standings: none from rank 9 on');
      expect((await run('top', 'metres-climbed')).out).to.equal('No results yet in season 1 of metres-climbed.\n');
      const json = JSON.parse((await run('top', 'gorge-run', '--json')).out) as { standings: { name: string }[] };
      expect(json.standings[3]?.name).to.equal(wideName);
    });

    it('says who is not on the board, and which board was meant, with status 1', async () => {
      const nobody = await run('find', 'gorge-run', 'p-odd');
      expect([nobody.status, nobody.err]).to.deep.equal([
        1,
        'vekkon: "p-odd" has no standing in season 1 of gorge-run yet. (standing-unknown)\n',
      ]);
      expect((await run('top', 'gorge-rum')).err).to.contain('did you mean "gorge-run"?');
      expect((await run('seasons', 'gorge-run', '--count', '999')).status).to.equal(2);
    });

    it('writes a season as CSV', async () => {
      const file = path.join(config, 'season.csv');
      expect((await run('export', 'gorge-run', '--file', file)).out).to.equal(`${file} is written.\n`);
      const [head, first, , , last] = readFileSync(file, 'utf8').split('\n');
      expect([head, first?.slice(0, 33)]).to.deep.equal([
        'rank,player,name,value,shown,reached',
        '1,p-1,Maren Holt,50000,0:50.000,2',
      ]);
      expect(last).to.contain(wideName);
    });

    it('takes off, puts back, bars and readmits, each with a reason', async () => {
      expect((await run('take-off', 'gorge-run', 'p-3', '--yes')).status).to.equal(2);
      const why = ['--reason', 'a test', '--yes'];
      expect((await run('take-off', 'gorge-run', 'p-3', ...why)).out).to.equal('p-3 is off on gorge-run.\n');
      expect((await run('put-back', 'gorge-run', 'p-3', ...why)).status).to.equal(0);
      expect((await run('bar', 'gorge-run', 'p-3', ...why)).out).to.equal('p-3 is barred on gorge-run.\n');
      expect((await run('find', 'gorge-run', 'p-3')).status).to.equal(1);
      expect((await run('readmit', 'gorge-run', 'p-3', ...why)).status).to.equal(0);
      expect((await run('find', 'gorge-run', 'p-3')).status).to.equal(0);
    });

    it('shows what is doubtful, and how results are spread; rejects one', async () => {
      expect((await run('doubtful')).out).to.match(/2 +longest-glide +p-odd +500,000 metres +none/);
      expect((await run('spread', 'longest-glide')).out).to.contain('4 results from 10,000 metres to 10,003 metres');
      expect((await run('reject', '1', '--reason', 'a forged client', '--yes')).out).to.equal('1 is rejected.\n');
      expect((await run('doubtful', '--state', 'rejected')).out).to.contain('400,000 metres');
    });

    it('says what closing a season gives, and closes it', async () => {
      const dry = await run('close', 'gorge-run', '--dry-run');
      expect(dry.out).to.match(/^Season 1 of gorge-run has 4 standings\. The next one turns /);
      expect(dry.out).to.match(/1 of opal +3 +1\. p-1, 2\. p-2, 3\. p-3/);
      expect((await run('seasons', 'gorge-run')).out).to.not.contain('closed');
      expect((await run('close', 'gorge-run', '--yes')).out).to.contain('Season 1 of gorge-run is closed');
      expect((await run('seasons', 'gorge-run')).out).to.match(/1 +closed|1 +closing/);
    });
  });

  describe('the console', () => {
    let browser: Browser;
    let page: Page;
    const complaints: string[] = [];
    before(async () => {
      browser = await openBrowser();
      page = await browser.newPage();
      page.on('pageerror', (error) => complaints.push(error.message));
      await page.goto(`${world.url}/console/boards?board=longest-glide`);
      await page.getByLabel('E-mail').fill(World.admin.email);
      await page.getByLabel('Password').fill(World.admin.password);
      await page.keyboard.press('Enter');
      await page.getByRole('heading', { name: 'Boards' }).waitFor();
    });
    after(() => browser.close());

    it('shows a board from the top, and lands at a player’s place', async () => {
      await page.getByText('4 standings in season 1').waitFor();
      expect(await page.getByRole('row').nth(1).innerText()).to.contain(wideName);
      await page.getByLabel('Find a player').fill('maren');
      await page.getByRole('button', { name: 'Find', exact: true }).click();
      const own = page.locator('tr.marked');
      await own.waitFor();
      expect(await own.innerText()).to.match(/4\s+Maren Holt\s+p-1\s+10,000 metres/);
      await page.getByLabel('Find a player').fill('nobody');
      await page.keyboard.press('Enter');
      await page.getByText('Nobody matches “nobody”').waitFor();
    });

    it('takes a player off with a reason, and brings them back from their page', async () => {
      await page.getByRole('button', { name: 'Back to the top' }).click();
      await page.getByRole('row').nth(2).getByRole('button', { name: 'Take off' }).click();
      await page.getByLabel('Why?').fill('flew through a hill');
      await page.keyboard.press('Enter');
      await page.getByText('is off this season').waitFor();
      await page.goto(`${world.url}/console/players/p-3`);
      await page.getByRole('tab', { name: 'Standings' }).click();
      await page.getByText('flew through a hill').waitFor();
      await page.getByRole('button', { name: 'Put back' }).click();
      await page.getByLabel('Why?').fill('there was no hill');
      await page.keyboard.press('Enter');
      await page.getByRole('link', { name: 'longest-glide' }).waitFor();
    });

    it('counts what is doubtful in the navigation, and lets a person accept it', async () => {
      await page.goto(`${world.url}/console/boards?board=longest-glide`);
      await page.getByLabel('1 doubtful').waitFor();
      await page.getByRole('tab', { name: /Doubtful/ }).click();
      await page.getByRole('heading', { name: '500,000 metres' }).waitFor();
      await page.getByText('They had no result before').waitFor();
      await page.getByRole('button', { name: 'Accept', exact: true }).click();
      await page.getByLabel('Why?').fill('seen by three');
      await page.keyboard.press('Enter');
      await page.getByText('No result is doubtful').waitFor();
      await page.getByRole('tab', { name: 'Spread' }).click();
      await page.getByText('lie far above all others').waitFor();
    });

    it('says what closing a season would give before it closes it', async () => {
      await page.goto(`${world.url}/console/boards?board=gorge-run`);
      await page.getByText('No results yet').waitFor();
      await page.getByRole('tab', { name: 'Seasons' }).click();
      await page.getByRole('button', { name: 'Close now …' }).click();
      await page.getByText('Closing it now gives, to 0 standings').waitFor();
      await page.getByLabel('Why?').fill('a test of the storm');
      await page.getByRole('button', { name: 'Close the season' }).click();
      await page.getByText('Closed by tobin@highfell.example: a test of the storm').waitFor();
      await page.getByRole('heading', { name: 'Season 3' }).waitFor();
    });

    it('met no error of its own', () => expect(complaints).to.deep.equal([]));
  });
});
