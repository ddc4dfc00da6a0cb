// npm test: everything from a fresh clone to "N passed, N failed".
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { prepare, root, run } from './prepare.mjs';

const browser = 'chromium';

function has(command) {
  return spawnSync('which', [command], { stdio: 'ignore' }).status === 0;
}

/** The console is tested in a real browser. */
function provideBrowser() {
  if (has(browser)) return;
  const isRoot = process.getuid?.() === 0;
  if (!has('apt-get') || !isRoot) {
    console.error(
      `The console's tests need Chromium: install it first, such as with "sudo apt-get install ${browser}".`,
    );
    process.exit(1);
  }
  console.log('Installing Chromium for the tests of the console …');
  const options = {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  };
  run('Updating the list of packages', 'apt-get', ['-qq', 'update'], options);
  run('Installing Chromium', 'apt-get', ['-qq', 'install', '-y', '--no-install-recommends', browser], options);
}

prepare();
provideBrowser();
const bin = (name) => path.join(root, 'node_modules', '.bin', name);
if (process.argv.length === 2) run('Checking the types of the tests', bin('tsc'), ['-p', 'tsconfig.tests.json']);
const chosen = process.argv.slice(2);
const files = chosen.length > 0 ? chosen : ['packages/*/test/**/*.test.ts', 'tests/**/*.test.ts'];
const { status } = spawnSync(bin('mocha'), files, { cwd: root, stdio: 'inherit' });
process.exit(status ?? 1);
