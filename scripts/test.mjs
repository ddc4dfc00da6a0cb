// npm test: everything from a fresh clone to "N passed, N failed".
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import path from 'node:path';
import { prepare, root, run } from './prepare.mjs';

/** The console is tested in a real browser; what is flushed when, by looking at the system calls. */
const needed = ['chromium', 'strace'];

function has(command) {
  return spawnSync('which', [command], { stdio: 'ignore' }).status === 0;
}

function provideTools() {
  const missing = needed.filter((tool) => !has(tool));
  if (missing.length === 0) return;
  const isRoot = process.getuid?.() === 0;
  if (!has('apt-get') || !isRoot) {
    console.error(
      `The tests need ${missing.join(' and ')}: install them first, such as with "sudo apt-get install ${missing.join(' ')}".`,
    );
    process.exit(1);
  }
  console.log(`Installing ${missing.join(' and ')} for the tests …`);
  const options = {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  };
  run('Updating the list of packages', 'apt-get', ['-qq', 'update'], options);
  run('Installing', 'apt-get', ['-qq', 'install', '-y', '--no-install-recommends', ...missing], options);
}

await prepare();
provideTools();
const bin = (name) => path.join(root, 'node_modules', '.bin', name);
if (process.argv.length === 2) run('Checking the types of the tests', bin('tsc'), ['-p', 'tsconfig.tests.json']);
const chosen = process.argv.slice(2);
const files = chosen.length > 0 ? chosen : ['packages/*/test/**/*.test.ts', 'tests/**/*.test.ts'];
const figuresFile = path.join(root, '.build', 'test-figures.json');
rmSync(figuresFile, { force: true });
// Two files at a time: each has its services, folders and ports for itself.
const sideBySide = chosen.length > 0 ? [] : ['--parallel', '--jobs', '2'];
const { status } = spawnSync(bin('mocha'), [...sideBySide, ...files], {
  cwd: root,
  stdio: 'inherit',
  env: { ...process.env, VEKKON_TEST_FIGURES: figuresFile },
});
process.exit(report(status ?? 1));

/** Prints the last lines. @returns what to end with: in CI nothing skips itself unless it is listed */
function report(ended) {
  if (!existsSync(figuresFile)) {
    console.log('0 passed, 1 failed');
    return ended === 0 ? 1 : ended;
  }
  const { passes, failures, skipped } = JSON.parse(readFileSync(figuresFile, 'utf8'));
  const listed = JSON.parse(readFileSync(path.join(root, 'tests/may-be-skipped.json'), 'utf8'));
  const unlisted = skipped.filter((title) => listed[title] === undefined);
  for (const title of skipped)
    console.log(`skipped: ${title} (${listed[title] ?? 'not listed in tests/may-be-skipped.json'})`);
  const isWrong = process.env.CI === 'true' && unlisted.length > 0;
  if (isWrong) console.log('In CI no test may skip itself unless tests/may-be-skipped.json lists it.');
  console.log(`${passes} passed, ${failures + (isWrong ? unlisted.length : 0)} failed`);
  return isWrong ? 1 : ended;
}
