// npm test: everything from a fresh clone to "N passed, N failed".
import { spawnSync } from 'node:child_process';
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

prepare();
provideTools();
const bin = (name) => path.join(root, 'node_modules', '.bin', name);
if (process.argv.length === 2) run('Checking the types of the tests', bin('tsc'), ['-p', 'tsconfig.tests.json']);
const chosen = process.argv.slice(2);
const files = chosen.length > 0 ? chosen : ['packages/*/test/**/*.test.ts', 'tests/**/*.test.ts'];
const { status } = spawnSync(bin('mocha'), files, { cwd: root, stdio: 'inherit' });
process.exit(status ?? 1);
