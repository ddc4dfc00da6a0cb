import { spawnSync } from 'node:child_process';
import { chromium, type Browser } from 'playwright-core';

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
