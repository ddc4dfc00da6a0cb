import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser } from './world/browser.js';
import { vekkon } from './world/process.js';
import { tunablesOfAllSorts } from './world/tunables-of-all-sorts.js';
import { until } from './world/until.js';
import { World } from './world/world.js';

describe('the faces of tuning', () => {
  let world: World;
  before(async () => {
    world = await World.start({ manifest: tunablesOfAllSorts });
  });
  after(() => world.close());

  const values = async (player?: string) => (await world.operator.tuning.values(player)).values;

  describe('the command line', () => {
    let environment: NodeJS.ProcessEnv;
    let folder: string;
    const run = (...args: string[]) => vekkon(['tuning', ...args], environment).ended;
    before(async () => {
      folder = mkdtempSync(path.join(tmpdir(), 'vekkon-config-'));
      environment = { VEKKON_CONFIG: folder, VEKKON_PASSWORD: World.admin.password, TZ: 'UTC' };
      await vekkon(['sign-in', '--url', world.url, '--email', World.admin.email], environment).ended;
    });
    after(() => rmSync(folder, { recursive: true }));

    it('changes a value for a day in one line, and says what that did', async () => {
      const { out, status } = await run('set', 'storm-warning', 'true', '--for', '24h', '--publish');
      expect([status, out.split('\n').length]).to.deep.equal([0, 3]);
      expect(out).to.match(/^storm-warning: false → true, \w{3} \d+ \w{3} .* UTC\nEdition 1 is published\.\n$/);
      expect((await values())['storm-warning']).to.equal(true);
      expect((await run('list')).out).to.match(/storm-warning +false +1 +– +never/);
      expect((await run('show', 'storm-warning')).out).to.match(/“set on the command line” \(adj-\w+\): true, /);
    });

    it('keeps edits in the draft until they are published with a note', async () => {
      const set = await run('set', 'thermal-strength', '2');
      expect(set.out).to.contain('thermal-strength: 1 → 2\nin the draft, revision');
      await run(
        'adjust',
        'thermal-strength',
        '--id',
        'coast',
        '--value',
        '3',
        '--where',
        'country=PT,IE',
        'build>=1.8.0',
      );
      const draft = await run('draft');
      expect(draft.out).to.contain('2 → 3 for players in Portugal or Ireland, with build at least 1.8.0');
      const noNote = await run('publish');
      expect([noNote.status, noNote.err]).to.deep.equal([
        2,
        'vekkon: Say why with --note: it stands in the activity and in the list of editions.\n',
      ]);
      const unasked = await run('publish', '--note', 'a warm front');
      expect([unasked.status, unasked.err]).to.satisfy(([, err]: string[]) => /add --yes/.test(err ?? ''));
      expect((await run('publish', '--note', 'a warm front', '--yes')).out).to.contain('Edition 2 is published.');
      expect((await run('editions')).out).to.match(/2 +\d{4}-\d\d-\d\d .*tobin@highfell\.example +a warm front/);
      expect((await run('reissue', '1', '--yes')).out).to.contain('Edition 3 is published: edition 1 again.');
      expect((await values())['thermal-strength']).to.equal(1);
    });

    it('says what is wrong, and what was meant', async () => {
      const typo = await run('set', 'thermal-strenght', '2');
      expect([typo.status, typo.err]).to.deep.equal([
        2,
        'vekkon: There is no tunable "thermal-strenght": did you mean "thermal-strength"?\n',
      ]);
      const large = await run('set', 'thermal-strength', '7');
      expect(large.status).to.equal(1);
      expect(large.err).to.contain('The value must be <= 5 (it is 7). Nothing was changed. (tuning-invalid)');
      expect((await run('set', 'thermal-strength', 'strong')).err).to.contain('"strong" is no JSON');
      expect((await run('adjust', 'thermal-strength', '--value', '2', '--where', 'chapter~5')).status).to.equal(2);
      expect((await run('set', 'storm-warning', 'true', '--percent', '0')).status).to.equal(2);
      expect((await run('reissue', '99', '--yes')).err).to.contain('(edition-unknown)');
    });

    it('explains what somebody gets, and why', async () => {
      await world.call('POST', '/v1/players/p-maren/join', { host: 'ridge-eu-1', attributes: { country: 'NO' } });
      await run('adjust', 'camp-note', '--value', 'Olá!', '--where', 'country=PT', '--note', 'Portugal', '--publish');
      const { out } = await run('explain', 'p-maren');
      expect(out).to.match(/^p-maren \(country NO, chapter 1\), by edition \d+, at /);
      expect(out).to.contain('not “Portugal”: country is "NO", and it is for players in Portugal');
      expect((await run('explain', '--attribute', 'country=PT')).out).to.match(/camp-note +Olá! +“Portugal”/);
    });

    it('pulls a table into a spreadsheet, and pushes it back row by row', async () => {
      const file = path.join(folder, 'trade-table.csv');
      expect((await run('pull', 'trade-table', '--file', file)).out).to.equal(`${file} is written.\n`);
      expect(readFileSync(file, 'utf8')).to.equal('item,price\nflare,12\n');
      writeFileSync(file, '\uFEFFprice,item\n15,flare\n90,"wing, oiled"\n');
      const dry = await run('push', file, '--dry-run');
      expect(dry.out).to.equal('trade-table:\n  flare: price 12 → 15\n  new: item "wing, oiled", price 90\n');
      expect((await values())['trade-table']).to.deep.equal([{ item: 'flare', price: 12 }]);
      await run('push', file, '--publish', '--yes');
      expect((await values())['trade-table']).to.deep.equal([
        { item: 'flare', price: 15 },
        { item: 'wing, oiled', price: 90 },
      ]);
      writeFileSync(file, 'item\nflare\n');
      const missing = await run('push', file, '--yes');
      expect([missing.status, missing.err]).to.satisfy(([, err]: string[]) =>
        /nothing was pushed:\n {2}heading: The column "price" is missing/.test(err ?? ''),
      );
      writeFileSync(path.join(folder, 'camp-note.yaml'), 'Soup at eight\n');
      expect((await run('push', path.join(folder, 'camp-note.yaml'), '--dry-run')).out).to.contain(
        '"" → "Soup at eight"',
      );
      expect((await run('pull', 'thermal-strength', '--format', 'csv')).err).to.contain('is no flat list');
    });

    it('begins a trial, and says when there is not enough to tell', async () => {
      const trial = ['--trial', '1:50', '1.2:50', '--measure', 'score/gorge-run'];
      await run('adjust', 'thermal-strength', '--id', 'lift', ...trial, '--note', 'Lift', '--publish');
      expect((await run('trial')).out).to.match(/lift +thermal-strength +Lift +score\/gorge-run/);
      expect((await run('trial', 'lift')).out).to.contain('There is not enough to tell yet');
      expect((await run('trial', 'lift', '--end', '2', '--yes')).out).to.contain('thermal-strength is 1.2.');
      expect((await values())['thermal-strength']).to.equal(1.2);
    });
  });

  describe('the console', () => {
    let browser: Browser;
    let page: Page;
    const complaints: string[] = [];
    before(async () => {
      const { tuning } = world.operator;
      await tuning.reissue(0, { note: 'before the console' });
      browser = await openBrowser();
      page = await browser.newPage({ timezoneId: 'Europe/Lisbon' });
      page.on('pageerror', (error) => complaints.push(error.message));
      await page.goto(`${world.url}/console/tuning?tunable=thermal-strength`);
      await page.getByLabel('E-mail').fill(World.admin.email);
      await page.getByLabel('Password').fill(World.admin.password);
      await page.keyboard.press('Enter');
      await page.getByRole('heading', { name: 'Tuning' }).waitFor();
    });
    after(() => browser.close());
    /** Types a number over what stands in a field. */
    const type = async (name: string, number: string) => {
      await page.getByRole('spinbutton', { name, exact: true }).click();
      await page.keyboard.press('Control+a');
      await page.keyboard.type(number);
    };
    const button = (name: string) => page.getByRole('button', { name, exact: true });

    it('edits a value in the draft, says what that changes, and publishes it with a note', async () => {
      await type('thermal-strength', '7');
      await page
        .getByText(/must be (<= 5|at most 5)/)
        .first()
        .waitFor();
      expect(await button('Put it into the draft').isDisabled()).to.equal(true);
      await type('thermal-strength', '2.5');
      await button('Put it into the draft').click();
      await page.getByText('thermal-strength: 1 → 2.5').waitFor();
      expect((await values())['thermal-strength']).to.equal(1);
      await page.getByLabel('Why is it published?').fill('a warm front');
      await page.keyboard.press('Enter');
      await page.getByText('Published: it holds at once for all.').waitFor();
      expect((await values())['thermal-strength']).to.equal(2.5);
    });

    it('tells a second designer what the first has changed meanwhile', async () => {
      await type('thermal-strength', '3');
      const { revision } = await world.operator.tuning.draft();
      await world.operator.tuning.put('camp-note', { value: 'Soup at eight', revision });
      // What the page knows of the draft comes with its next look: the edit is sent with what was seen before.
      await button('Put it into the draft').click();
      await page.getByText('camp-note: "" → "Soup at eight"').first().waitFor();
      await button('Put it into the draft').click();
      await page.getByText('thermal-strength: 2.5 → 3').waitFor();
      // And of the same tunable, while it is being edited here.
      await type('thermal-strength', '4');
      const { revision: then } = await world.operator.tuning.draft();
      await world.operator.tuning.put('thermal-strength', { value: 2, revision: then });
      await page.getByText('has changed this meanwhile').waitFor();
      await page.getByText('thermal-strength: 3 → 2').waitFor();
      expect(await button('Put it into the draft').isDisabled()).to.equal(true);
      await button('Take theirs').click();
      const field = page.getByRole('spinbutton', { name: 'thermal-strength', exact: true });
      expect(await field.inputValue()).to.equal('2');
      const draft = await world.operator.tuning.draft();
      await world.operator.tuning.publish({ note: 'both', revision: draft.revision });
    });

    it('edits tables as tables, and as JSON with a mark where it does not fit', async () => {
      await page.goto(`${world.url}/console/tuning?tunable=trade-table`);
      await type('price, row 1', '14');
      await page.getByText('JSON', { exact: true }).click();
      const editor = page.locator('.cm-content');
      await editor.waitFor();
      expect(await editor.innerText()).to.contain('"price": 14');
      await editor.click();
      await page.keyboard.press('Control+a');
      await page.keyboard.insertText('[\n  {\n    "item": "flare",\n    "price": "dear"\n  }\n]');
      await page.getByText(/^Line 4: /).waitFor();
      await page.locator('.cm-lintRange-error').waitFor();
      expect(await button('Put it into the draft').isDisabled()).to.equal(true);
      await page.keyboard.press('Control+a');
      await page.keyboard.insertText('[{"item":"flare","price":15}]');
      await button('Put it into the draft').click();
      await page.getByText('trade-table: flare: price 12 → 15').waitFor();
      await button('Back to what is published').click();
      await page.getByText('trade-table: flare: price 12 → 15').waitFor({ state: 'detached' });
    });

    it('shows windows on a calendar, and moves them with the keyboard and the mouse', async () => {
      const { tuning } = world.operator;
      const start = Math.ceil(Date.now() / 3_600_000) * 3_600_000 + 24 * 3_600_000;
      const window = { from: new Date(start).toISOString(), until: new Date(start + 36 * 3_600_000).toISOString() };
      const { revision } = await tuning.draft();
      await tuning.put('storm-warning', {
        adjustments: [{ id: 'storm', note: 'The storm', value: true, window }],
        revision,
      });
      await page.goto(`${world.url}/console/tuning?look=calendar`);
      const bar = page.getByRole('button', { name: /^The storm, to come/ });
      await bar.focus();
      await page.keyboard.press('ArrowRight');
      const windowNow = async () => (await tuning.draft()).tunables['storm-warning']?.adjustments[0]?.window;
      await until(async () => Date.parse((await windowNow())?.from ?? '') - start === 3_600_000);
      await bar.focus();
      await page.keyboard.press('Shift+ArrowRight');
      await until(async () => Date.parse((await windowNow())?.until ?? '') - start === 38 * 3_600_000);
      const box = (await bar.boundingBox())!;
      await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
      await page.mouse.down();
      await page.mouse.move(box.x + box.width / 2 + 90, box.y + box.height / 2, { steps: 4 });
      await page.mouse.up();
      await until(async () => Date.parse((await windowNow())?.from ?? '') > start + 20 * 3_600_000);
    });

    it('answers what somebody gets as one types', async () => {
      const { tuning } = world.operator;
      const { revision } = await tuning.draft();
      await tuning.put('camp-note', {
        value: 'Soup at eight',
        adjustments: [{ note: 'Portugal', value: 'Sopa às oito', audience: { attribute: 'country', is: 'PT' } }],
        revision,
      });
      await page.goto(`${world.url}/console/tuning?look=why`);
      await page.getByRole('combobox', { name: 'Edition' }).click();
      await page.getByRole('option', { name: 'the draft' }).click();
      await page.getByText('country is not known, and it is for players in Portugal').waitFor();
      await page.getByLabel('country', { exact: true }).fill('PT');
      await page.getByText('Sopa às oito').first().waitFor();
      await page.getByText('“Portugal” wins').waitFor();
      await page.getByRole('combobox', { name: 'Edition' }).click();
      await page
        .getByRole('option', { name: /^edition \d+: a warm front/ })
        .first()
        .click();
      await page.getByText('2.5').first().waitFor();
    });

    it('adds a tunable to the manifest', async () => {
      await page.goto(`${world.url}/console/tuning?look=tunables`);
      await button('Another tunable').click();
      await page.getByLabel('Name', { exact: true }).fill('wind-from-west');
      await type('Value', '3');
      await button('Declare it').click();
      await page.getByText('wind-from-west is declared.').waitFor();
      expect(await values()).to.deep.include({ 'wind-from-west': 3 });
    });

    it('publishes an earlier edition again', async () => {
      await page.getByRole('tab', { name: 'Editions' }).click();
      await page.getByText('runs now').waitFor();
      await page.getByRole('button', { name: 'Publish it again' }).first().click();
      await page.getByLabel('Why?').fill('too warm');
      await page.keyboard.press('Enter');
      await page.getByText('too warm (edition').waitFor();
    });

    it('met no error of its own', () => expect(complaints).to.deep.equal([]));
  });
});
