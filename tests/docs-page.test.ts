import { expect } from 'chai';
import type { Browser, Page } from 'playwright-core';
import { openBrowser } from './world/browser.js';
import { serious } from './world/serious.js';
import { World } from './world/world.js';

interface Document {
  readonly paths: {
    readonly [path: string]: { readonly [method: string]: { readonly description: string; readonly tags: string[] } };
  };
}

describe('the page on which the calls of a service are read', () => {
  let world: World;
  let browser: Browser;
  const complaints: string[] = [];
  before(async () => {
    world = await World.start();
    browser = await openBrowser();
  });
  after(async () => {
    await browser.close();
    await world.close();
  });

  async function opened(call = '', colorScheme: 'light' | 'dark' = 'light'): Promise<Page> {
    const page = await (await browser.newContext({ colorScheme })).newPage();
    page.on('pageerror', (error) => complaints.push(error.message));
    page.on('console', (line) => line.type() === 'error' && complaints.push(line.text()));
    await page.goto(`${world.url}/docs${call}`);
    await page.getByRole('navigation').getByRole('link').first().waitFor();
    return page;
  }

  it('lists every call that there is, for nobody in particular', async () => {
    const { paths } = (await (await fetch(`${world.url}/openapi.json`)).json()) as Document;
    const operations = Object.values(paths).flatMap((methods) => Object.values(methods));
    const page = await opened();
    expect(await page.getByRole('navigation').getByRole('link').count()).to.equal(operations.length);
    const groups = await page.getByRole('navigation').getByRole('heading').allTextContents();
    expect(groups).to.have.members([...new Set(operations.flatMap(({ tags }) => tags))]);
    await page.getByRole('heading', { level: 1, name: 'A player joins a host' }).waitFor();
  });

  it('tells of one who may make it, what it takes, what it answers and what may be wrong', async () => {
    const page = await opened('#save');
    const sheet = page.getByRole('article');
    const text = await sheet.innerText();
    expect(text).to.contain('/v1/sessions/{session}/saves');
    expect(text).to.contain("For a host key good for write and a device's token.");
    expect(text).to.match(/transactions list of up to 200: object, may be left out: \[\] then/);
    expect(text).to.contain('save-out-of-order');
    const operation = sheet.getByRole('listitem').filter({ hasText: 'changes' }).locator('summary').first();
    await operation.click();
    await sheet.getByText('op: "outdo"').first().waitFor();
  });

  it('finds calls by words of theirs, and is walked by keyboard', async () => {
    const page = await opened();
    await page.getByLabel('Find a call').fill('post leave');
    const links = page.getByRole('navigation').getByRole('link');
    await page.waitForFunction(() => document.querySelectorAll('nav a').length < 5);
    expect((await links.allTextContents()).join()).to.contain('/sessions/{session}/leave');
    await page.keyboard.press('Tab');
    await page.keyboard.press('Enter');
    await page.waitForURL('**/docs#leave');
    await page.getByRole('article').getByText('/v1/sessions/{session}/leave').waitFor();
    await page.getByLabel('Find a call').fill('teleport');
    await page.getByText('No call has these words.').waitFor();
    await page.goto(`${world.url}/docs#teleport`);
    await page.getByText('There is no call “teleport”.').waitFor();
    // Whoever opens one further down sees where it stands among the others.
    const deep = await opened('#tuningRules');
    const place = await deep.locator('nav a[aria-current="page"]').boundingBox();
    expect((place?.y ?? Infinity) + (place?.height ?? 0)).to.be.below(deep.viewportSize()?.height ?? 0);
  });

  it('can be read by day and by night, by everybody', async () => {
    for (const scheme of ['light', 'dark'] as const) {
      expect(await serious(await opened('#playerJoin', scheme)), scheme).to.deep.equal([]);
    }
    expect(complaints).to.deep.equal([]);
  });
});
