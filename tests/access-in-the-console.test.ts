import { expect } from 'chai';
import readQr from 'jsqr';
import type { Browser, Page } from 'playwright-core';
import { openBrowser } from './world/browser.js';
import { Device } from './world/device.js';
import { IdentityProviderStandIn } from './world/identity-provider.js';
import { serious } from './world/serious.js';
import { World } from './world/world.js';

/** What must never run, wherever it is shown. */
const script = '<img src=x onerror="window.hasRun=1"><script>window.hasRun=1</script>';

describe('the page of who may do what', () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  const complaints: string[] = [];
  before(async () => {
    world = await World.start();
    browser = await openBrowser();
    page = await browser.newPage();
    page.on('pageerror', (error) => complaints.push(error.message));
    const player = new Device().open(world, 'tab-1', { deadline: 60_000 });
    await player.start();
    await player.account.register('maren@highfell.example', 'a-warm-thermal');
    await player.leave();
    await page.goto(`${world.url}/console/access`);
    await page.getByLabel('E-mail').fill(World.admin.email);
    await page.getByLabel('Password').fill(World.admin.password);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Access', level: 1 }).waitFor();
  });
  after(async () => {
    await browser.close();
    await world.close();
  });

  it('makes a key that is shown once, and ends it after asking', async () => {
    await page.getByRole('button', { name: 'New key' }).click();
    await page.getByLabel('What it is called').fill('a report');
    for (const scope of ['write', 'boards', 'tuning']) await page.getByLabel(scope, { exact: true }).uncheck();
    await page.getByRole('button', { name: 'Make it' }).click();
    const key = await page.getByText('The key is shown only now:').locator('code').textContent();
    expect(key).to.match(/^vkh_/);
    const row = page.getByRole('row').filter({ hasText: 'a report' });
    await row.getByText('hosts: read').waitFor();
    await row.getByRole('button', { name: 'End …' }).click();
    await row.getByRole('button', { name: 'End it' }).click();
    await row.getByText(/^ended/).waitFor();
    const answer = await world.call('GET', '/v1/boards', undefined, { Authorization: `Bearer ${key}` });
    expect(answer.status).to.equal(401);
  });

  it('invites somebody, who joins by the link and sees what their role allows', async () => {
    await page.getByLabel('E-mail', { exact: true }).fill('wren@highfell.example');
    await page.getByRole('button', { name: 'Invite' }).click();
    const link = (await page.getByText('Send this link to wren@highfell.example').locator('code').textContent())!;
    const other = await (await browser.newContext()).newPage();
    await other.goto(link);
    await other.getByLabel('Name').fill('Wren');
    await other.getByLabel('Password, at least 10 characters').fill('over-the-northern-ridge');
    await other.getByRole('button', { name: 'Start' }).click();
    await other.getByText('Wren support').waitFor();
    await other.goto(`${world.url}/console/access`);
    await other.getByRole('heading', { name: 'Players’ accounts' }).waitFor();
    expect(await other.getByRole('heading', { name: 'Operators' }).count()).to.equal(0);
    // No script of the page can read who is signed in.
    expect(await other.evaluate(() => document.cookie + JSON.stringify({ ...localStorage }))).to.not.include('vko_');
    await other.context().close();
  });

  it('finds an account, and signs it out everywhere', async () => {
    await page.getByLabel('Find by e-mail').fill('mar');
    const row = page.getByRole('row').filter({ hasText: 'maren@highfell.example' });
    await row.getByText('not confirmed').waitFor();
    await row.getByRole('button', { name: 'Sign out everywhere' }).click();
    await page.getByText('maren@highfell.example is signed out everywhere.').waitFor();
    await row.getByRole('button', { name: 'Send a reset' }).click();
    await page.getByText('A link was mailed to maren@highfell.example.').waitFor();
  });

  it('leads from the mail to a page that sets another password, once', async () => {
    const { mails } = await world.operator.accounts.mails();
    const link = /http\S+/.exec(mails.find(({ subject }) => subject === 'Set another password')!.text)![0];
    const other = await (await browser.newContext()).newPage();
    other.on('pageerror', (error) => complaints.push(error.message));
    await other.goto(link);
    await other.getByText('At least 8 characters').waitFor();
    expect(await serious(other)).to.deep.equal([]);
    await other.getByLabel('New password').fill('password1');
    await other.getByRole('button', { name: 'Set it' }).click();
    await other.getByText('one of the commonest passwords').waitFor();
    await other.getByLabel('New password').fill('a-colder-thermal');
    await other.getByRole('button', { name: 'Set it' }).click();
    await other.getByText('Your password is set').waitFor();
    await other.reload();
    await other.getByLabel('New password').fill('an-icy-thermal');
    await other.getByRole('button', { name: 'Set it' }).click();
    await other.getByText(/works once/).waitFor();
    await other.context().close();
  });

  it('sets a second factor, and shows recovery codes once', async () => {
    await page.getByRole('button', { name: 'Set it …' }).click();
    await page.getByText('Show this to the camera of your authenticator').waitFor();
    const secret = await page.locator('form code').textContent();
    expect(await readQrCode(page)).to.match(new RegExp(`^otpauth://totp/.*secret=${secret}`));
    await page.getByLabel('The code that it shows').fill('000000');
    await page.getByRole('button', { name: 'Set it', exact: true }).click();
    await page.getByText('A code is good once').waitFor();
    await page.getByRole('button', { name: 'Leave it' }).last().click();
  });

  it('sets up an identity provider, which is asked who it is first, and removes it after asking', async () => {
    const post = await IdentityProviderStandIn.start();
    const section = page.getByRole('region', { name: /^Identity providers/ });
    await section.getByRole('button', { name: 'New provider' }).click();
    const fill = async (issuer: string) => {
      await section.getByLabel('Name', { exact: true }).fill('highfell-post');
      await section.getByLabel('What players read').fill('Highfell Post');
      await section.getByLabel('Issuer').fill(issuer);
      await section.getByLabel('Client ID').fill('gliders');
      await section.getByRole('button', { name: 'Ask it, and keep it' }).click();
    };
    await fill('http://127.0.0.1:9');
    await section.getByText('http://127.0.0.1:9 does not answer as it must').waitFor();
    await fill(post.issuer);
    await section.getByText('Players may sign in with Highfell Post: it has answered as it must.').waitFor();
    await section.getByRole('row').filter({ hasText: post.issuer }).waitFor();
    await section.getByText(`${world.url}/account/return`).waitFor();
    await section.getByRole('button', { name: 'Remove …' }).click();
    await section.getByRole('button', { name: 'Remove it' }).click();
    await section.getByText('Players sign in with e-mail and password only.').waitFor();
    await post.close();
  });

  it('sets limits, and shows who runs into them', async () => {
    const section = page.getByRole('region', { name: /^Limits/ });
    await section.getByText('Nobody has since the service was started.').waitFor();
    await section.getByRole('button', { name: 'Set …' }).click();
    await section.getByLabel('New devices of one address in a minute').fill('1');
    await section.getByRole('button', { name: 'Set them' }).click();
    await section.getByText('The limits are set: they hold from the next call on.').waitFor();
    const asDevice = { Authorization: `Bearer ${world.deviceKey}` };
    for (const one of ['first', 'second']) {
      await world.call('POST', '/v1/devices', { secret: `a-device-of-highfell-gliders-${one}` }, asDevice);
    }
    await page.reload();
    await section.getByRole('row').filter({ hasText: '127.0.0.1' }).getByText('New devices of one address').waitFor();
    await section.getByText('How much one caller may ask for').click();
    await section.getByRole('row').filter({ hasText: 'New devices' }).last().getByText('1', { exact: true }).waitFor();
    await world.operator.limits.set({});
  });

  it('has nothing serious in the way of those who can’t see it, or have no mouse', async () => {
    expect(await serious(page)).to.deep.equal([]);
    expect(complaints).to.deep.equal([]);
  });

  it('never runs what somebody has stored: not from a name, a record, a label, a reason or a note', async () => {
    const session = await world.host().join('p-script', { name: script.slice(0, 120) });
    session.put('logbook', { flights: 1, highest: null, notes: [script], camps: [] });
    session.credit('feather', 5, script);
    session.submit('gorge-run', 61_000, { name: script.slice(0, 60), note: script.slice(0, 60) });
    await session.leave();
    await world
      .host()
      .change('p-script', 'script', [
        { label: script, changes: [{ op: 'credit', key: 'currency/feather', amount: 1, reason: script }] },
      ]);
    const player = new Device().open(world, 'tab-2', { deadline: 60_000, name: script.slice(0, 120) });
    await player.start();
    void player.increase('landings', 1);
    await player.leave();
    const looked = await browser.newPage();
    await looked.context().addCookies(await page.context().cookies());
    await looked.addInitScript(() => localStorage.setItem('vekkon.signed-in', 'yes'));
    for (const path of ['/players', '/activity', '/boards', '/overview', '/access']) {
      await looked.goto(`${world.url}/console${path}`);
      await looked.getByRole('heading', { level: 1 }).waitFor();
      expect(await looked.evaluate(() => 'hasRun' in window), path).to.equal(false);
    }
    await looked.goto(`${world.url}/console/players/p-script`);
    for (const name of ['Records', 'Change', 'History', 'Ledger', 'Standings', 'Sessions', 'Checkpoints', 'Trash']) {
      await looked.getByRole('tab', { name, exact: true }).click();
      await looked.getByRole('tab', { name, exact: true, selected: true }).waitFor();
      expect(await looked.evaluate(() => 'hasRun' in window), name).to.equal(false);
    }
    await looked.goto(`${world.url}/play/`);
    await looked.getByText('saved', { exact: false }).first().waitFor();
    expect(await looked.evaluate(() => 'hasRun' in window), '/play').to.equal(false);
  });
});

/** What a camera would read off the page. */
async function readQrCode(page: Page): Promise<string | undefined> {
  const size = 240;
  const pixels = await page.evaluate(async (width) => {
    const svg = document.querySelector('svg.qr')!;
    const image = new Image(width, width);
    image.src = `data:image/svg+xml,${encodeURIComponent(new XMLSerializer().serializeToString(svg))}`;
    await image.decode();
    const canvas = Object.assign(document.createElement('canvas'), { width, height: width }).getContext('2d')!;
    canvas.drawImage(image, 0, 0, width, width);
    // Black and white: one of four is enough.
    return [...canvas.getImageData(0, 0, width, width).data.filter((_, index) => index % 4 === 0)].join(' ');
  }, size);
  const rgba = pixels.split(' ').flatMap((value) => [Number(value), Number(value), Number(value), 255]);
  return readQr.default(Uint8ClampedArray.from(rgba), size, size)?.data;
}
