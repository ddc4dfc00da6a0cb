import { spawnSync } from 'node:child_process';
import { chromium, type Browser, type BrowserContext } from 'playwright-core';

/** Debian's Chromium, without a window, without anything that would call home. */
export function openBrowser(): Promise<Browser> {
  return chromium.launch({
    executablePath: spawnSync('which', ['chromium'], { encoding: 'utf8' }).stdout.trim(),
    args: [
      '--headless',
      '--no-sandbox',
      '--disable-gpu',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
}

/** A window in which an operator is signed in to the console, by a token. */
export async function windowOf(browser: Browser, url: string, token: string): Promise<BrowserContext> {
  const context = await browser.newContext();
  const cookie = { name: 'vekkon-console', value: token, url, httpOnly: true, sameSite: 'Strict' } as const;
  await context.addCookies([cookie]);
  await context.addInitScript(() => localStorage.setItem('vekkon.signed-in', 'yes'));
  return context;
}
