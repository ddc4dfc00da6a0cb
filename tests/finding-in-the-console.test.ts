import { expect } from 'chai';
import type { Browser, Locator, Page } from 'playwright-core';
import { openBrowser, windowOf } from './world/browser.js';
import { serious } from './world/serious.js';
import { World } from './world/world.js';

describe('finding players in the console, and what their sessions saved', () => {
  let world: World;
  let browser: Browser;
  const complaints: string[] = [];
  before(async () => {
    world = await World.start();
    for (const [pilot, feathers] of [10, 500, 80].entries()) {
      const session = await world.host('ridge-eu-3').join(`p-${pilot}`, { name: `Pilot ${'ABC'[pilot]}` });
      session.credit('feather', feathers, 'climb 8812');
      session.merge('flight', { chapter: pilot + 2 });
      await session.leave();
    }
    browser = await openBrowser();
  });
  after(async () => {
    await browser.close();
    await world.close();
  });

  async function signedIn(email: string, password: string, path: string, colorScheme: 'light' | 'dark' = 'light') {
    const context = await browser.newContext({ colorScheme });
    const page = await context.newPage();
    page.on('pageerror', (error) => complaints.push(error.message));
    await page.goto(`${world.url}/console${path}`);
    await page.getByLabel('E-mail').fill(email);
    await page.getByLabel('Password').fill(password);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { level: 1 }).waitFor();
    await page.waitForURL((url) => !url.pathname.endsWith('sign-in'));
    return page;
  }
  async function withToken(token: string, path: string): Promise<Page> {
    const page = await (await windowOf(browser, world.url, token)).newPage();
    page.on('pageerror', (error) => complaints.push(error.message));
    await page.goto(`${world.url}/console${path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    return page;
  }
  const asTobin = (path: string) => signedIn(World.admin.email, World.admin.password, path);
  const names = (page: Page) => page.locator('tbody tr .name').allTextContents();
  /** Waits until a list stands as it should: it is drawn anew when the answer is there. */
  async function untilNames(page: Page, wanted: readonly string[]): Promise<void> {
    await page.waitForFunction(
      (all) => Array.from(document.querySelectorAll('tbody tr .name'), (one) => one.textContent).join() === all,
      wanted.join(),
    );
    expect(await names(page)).to.deep.equal(wanted);
  }

  it('finds by a balance once somebody has added it, in a range, the least first', async () => {
    const page = await asTobin('/players');
    await page.getByRole('button', { name: 'Find by something else…' }).click();
    await page.getByPlaceholder('currency/feather').fill('currency/feather');
    await page.getByRole('button', { name: 'Add', exact: true }).click();
    await untilNames(page, ['Pilot B', 'Pilot C', 'Pilot A']);
    await page.locator('tbody tr').first().getByText('540').waitFor();
    await page.getByLabel('At most').fill('200');
    await untilNames(page, ['Pilot C', 'Pilot A']);
    await page.getByRole('button', { name: 'Greatest first' }).click();
    await untilNames(page, ['Pilot A', 'Pilot C']);
    await page.getByLabel('Find by name or id').fill('pilot c');
    await untilNames(page, ['Pilot C']);
    await page.context().close();
  });

  it('says why a name that is not declared can’t be added', async () => {
    const page = await asTobin('/players');
    await page.getByRole('button', { name: 'Find by something else…' }).click();
    await page.getByPlaceholder('currency/feather').fill('currency/feahter');
    await page.getByRole('button', { name: 'Add', exact: true }).click();
    await page.getByRole('alert').getByText('did you mean "currency/feather"').waitFor();
    await page.context().close();
  });

  it('shows each save of a session, with what it changed and why', async () => {
    const page = await asTobin('/players/p-1');
    await page.getByRole('tab', { name: 'Sessions' }).click();
    await page.getByRole('button', { expanded: false }).filter({ hasText: 'ridge-eu-3' }).first().click();
    const saves = page.locator('table.saves');
    await saves.getByText('+500 feather: climb 8812').waitFor();
    await saves.getByText('chapter: 1 → 3').waitFor();
    await page.context().close();
  });

  it('shows how long what was is kept, and lets an admin set it, who is asked first', async () => {
    const page = await asTobin('/manifest');
    const days = page.getByRole('spinbutton', { name: 'Then the last of each day' });
    await days.click();
    await page.keyboard.press('Control+A');
    await page.keyboard.type('400');
    await page.keyboard.press('Tab');
    await page.getByRole('button', { name: 'Set…' }).click();
    await page.getByRole('button', { name: 'Keep it so long' }).click();
    await page.getByRole('alertdialog').waitFor({ state: 'detached' });
    expect((await world.operator.terms()).terms.ofDays).to.equal(400 * 24);
    await page.context().close();
  });

  it('lets two operators edit one record: who is second sees what the first wrote, and overwrites nothing unseen', async () => {
    const first = await asTobin('/players/p-2');
    const second = await withToken(await world.tokenOf('maren@highfell.example', 'support'), '/players/p-2');
    const record = (page: Page) => page.locator('[data-mend="progress/flight"]');
    for (const page of [first, second]) {
      await page.getByRole('tab', { name: 'Change' }).click();
      await page.getByRole('button', { name: 'Change progress/flight', exact: true }).click();
    }
    const edit = async (page: Page, chapter: string, why: string) => {
      await page.getByRole('spinbutton', { name: 'chapter', exact: true }).click();
      await page.keyboard.press('Control+A');
      await page.keyboard.type(chapter);
      await page.getByLabel('Why?').fill(why);
    };
    await edit(first, '11', 'as promised');
    await edit(second, '12', 'as promised, too');
    await first.keyboard.press('Enter');
    await first.getByText('Changed: progress/flight.').waitFor();
    await record(second).getByText('It was changed meanwhile, by revision 3: chapter: 4 → 11.').waitFor();
    await second.getByLabel('Why?').click();
    await second.keyboard.press('Enter');
    await second.getByText('Nothing was changed:').waitFor();
    const { records } = await world.operator.player('p-2');
    expect(records['progress/flight']!.value).to.have.property('chapter', 11);
    await first.context().close();
    await second.context().close();
  });

  it('goes from finding to a change by the keyboard alone', async () => {
    const page = await asTobin('/players');
    const tabTo = async (wanted: Locator) => {
      for (let presses = 0; presses < 80; presses++) {
        if (await wanted.evaluate((one) => one === document.activeElement).catch(() => false)) return;
        await page.keyboard.press('Tab');
      }
      throw new Error(`Not reached by the keyboard: ${String(wanted)}`);
    };
    await tabTo(page.getByLabel('Find by name or id'));
    await page.keyboard.type('pilot a');
    await untilNames(page, ['Pilot A']);
    await tabTo(page.getByRole('link', { name: 'Pilot A' }));
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Pilot A' }).waitFor();
    await tabTo(page.getByRole('tab', { selected: true }));
    while (!(await page.getByRole('tab', { name: 'Change' }).evaluate((one) => one === document.activeElement)))
      await page.keyboard.press('ArrowRight');
    await page.keyboard.press('Enter');
    await tabTo(page.getByRole('button', { name: 'Change progress/climbs', exact: true }));
    await page.keyboard.press('Enter');
    await tabTo(page.getByRole('spinbutton', { name: 'progress/climbs', exact: true }));
    await page.keyboard.press('Control+A');
    await page.keyboard.type('17');
    await tabTo(page.getByLabel('Why?'));
    await page.keyboard.type('by hand');
    await page.keyboard.press('Enter');
    await page.getByText('Changed: progress/climbs.').waitFor();
    expect((await world.operator.player('p-0')).records['progress/climbs']!.value).to.equal(17);
    await page.context().close();
  });

  it('has nothing serious on any page at night, for those who can’t see it well or have no mouse', async () => {
    const page = await signedIn(World.admin.email, World.admin.password, '/players', 'dark');
    const found: { [path: string]: readonly string[] } = {};
    for (const path of [
      '/overview',
      '/players',
      '/players/p-0',
      '/boards',
      '/tuning',
      '/gifts',
      '/activity',
      '/manifest',
    ]) {
      await page.goto(`${world.url}/console${path}`);
      await page.getByRole('heading', { level: 1 }).waitFor();
      const wrong = await serious(page);
      if (wrong.length > 0) found[path] = wrong;
    }
    expect(found).to.deep.equal({});
    expect(await page.evaluate(() => document.documentElement.classList.contains('night'))).to.equal(true);
  });

  it('has nothing to complain about in the browser', () => {
    expect(complaints).to.deep.equal([]);
  });
});
