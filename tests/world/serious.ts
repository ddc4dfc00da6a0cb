import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from 'playwright-core';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** What is wrong with a page for those who can't see it, or have no mouse: what is serious. */
export async function serious(page: Page): Promise<readonly string[]> {
  await page.evaluate(axe);
  return page.evaluate(async () => {
    const run = (globalThis as unknown as { axe: { run(): Promise<{ violations: Violation[] }> } }).axe.run();
    interface Violation {
      readonly id: string;
      readonly impact: string | null;
      readonly nodes: readonly { readonly html: string }[];
    }
    const { violations } = await run;
    return violations
      .filter(({ impact }) => impact === 'serious' || impact === 'critical')
      .map(({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html.slice(0, 120)).join(' | ')}`);
  });
}
