// Installs what is missing and builds what has changed. Needs nothing but
// Node and npm; every other script calls it first.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';

export const root = path.resolve(import.meta.dirname, '..');
const stamps = path.join(root, '.build');
const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm';

/** Runs a command and ends with its status if it fails. */
export function run(what, command, args, options = {}) {
  const { status, error } = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (status === 0) return;
  console.error(`${what} failed${error === undefined ? '' : `: ${error.message}`}.`);
  process.exit(status ?? 1);
}

/** Does the work unless it was done for the same state before. */
function once(name, state, work) {
  const file = path.join(stamps, name);
  if (existsSync(file) && readFileSync(file, 'utf8') === state) return;
  work();
  mkdirSync(stamps, { recursive: true });
  writeFileSync(file, state);
}

/** A digest of every file's path, size and time of change below some folders. */
function stateOf(folders) {
  const digest = createHash('sha256');
  const visit = (file) => {
    const status = statSync(file, { throwIfNoEntry: false });
    if (status === undefined) return;
    if (!status.isDirectory()) return void digest.update(`${file} ${status.size} ${status.mtimeMs}\n`);
    for (const name of readdirSync(file).sort()) {
      if (!['node_modules', 'dist', 'test'].includes(name) && !name.endsWith('.tsbuildinfo'))
        visit(path.join(file, name));
    }
  };
  for (const folder of folders) visit(path.join(root, folder));
  return digest.digest('hex');
}

export function prepare() {
  const lock = readFileSync(path.join(root, 'package-lock.json'), 'utf8');
  // Packages that somebody has removed are missing, whatever was done before.
  if (!existsSync(path.join(root, 'node_modules'))) rmSync(path.join(stamps, 'installed'), { force: true });
  once(
    'installed',
    createHash('sha256')
      .update(lock + process.version)
      .digest('hex'),
    () => {
      console.log('Installing packages; the first time, SQLite is compiled, which takes a few minutes …');
      run('Installing', npm, ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
    },
  );
  once('built', stateOf(['packages', 'tsconfig.json', 'tsconfig.base.json', 'package-lock.json']), () => {
    console.log('Building …');
    const bin = (name) => path.join(root, 'node_modules', '.bin', name);
    run('Building', bin('tsc'), ['-b']);
    run('Building the player client for browsers', bin('vite'), ['build', '--logLevel', 'warn'], {
      cwd: path.join(root, 'packages/client'),
    });
    run('Checking the console', bin('vue-tsc'), ['--noEmit'], { cwd: path.join(root, 'packages/console') });
    run('Building the console', bin('vite'), ['build', '--logLevel', 'warn'], {
      cwd: path.join(root, 'packages/console'),
    });
  });
}

if (process.argv[1] === import.meta.filename) prepare();
