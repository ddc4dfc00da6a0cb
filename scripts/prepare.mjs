// Installs what is missing and builds what has changed. Needs nothing but
// Node and npm; every other script calls it first.
import { spawn, spawnSync } from 'node:child_process';
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

/** Runs commands side by side, and ends with the status of the first that fails. */
export async function runSideBySide(steps) {
  const running = steps.map(
    ([what, command, args, options = {}]) =>
      new Promise((resolve) => {
        const child = spawn(command, args, { cwd: root, stdio: 'inherit', ...options });
        child.on('error', (error) => resolve({ what, status: 1, why: `: ${error.message}` }));
        child.on('exit', (status) => resolve({ what, status: status ?? 1, why: '' }));
      }),
  );
  const failed = (await Promise.all(running)).find(({ status }) => status !== 0);
  if (failed === undefined) return;
  console.error(`${failed.what} failed${failed.why}.`);
  process.exit(failed.status);
}

/** Does the work unless it was done for the same state before. */
async function once(name, state, work) {
  const file = path.join(stamps, name);
  if (existsSync(file) && readFileSync(file, 'utf8') === state) return;
  await work();
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

export async function prepare() {
  const lock = readFileSync(path.join(root, 'package-lock.json'), 'utf8');
  // Packages that somebody has removed are missing, whatever was done before.
  if (!existsSync(path.join(root, 'node_modules'))) rmSync(path.join(stamps, 'installed'), { force: true });
  await once(
    'installed',
    createHash('sha256')
      .update(lock + process.version)
      .digest('hex'),
    () => {
      console.log('Installing packages; the first time, SQLite is compiled, which takes a few minutes …');
      // What is compiled is compiled on every core.
      const env = { JOBS: 'max', ...process.env };
      run('Installing', npm, ['ci', '--no-audit', '--no-fund', '--loglevel=error'], { env });
    },
  );
  await once('built', stateOf(['packages', 'tsconfig.json', 'tsconfig.base.json', 'package-lock.json']), async () => {
    console.log('Building …');
    const bin = (name) => path.join(root, 'node_modules', '.bin', name);
    run('Building', bin('tsc'), ['-b']);
    const at = (name) => ({ cwd: path.join(root, 'packages', name) });
    const build = ['build', '--logLevel', 'warn'];
    await runSideBySide([
      ['Building the player client for browsers', bin('vite'), build, at('client')],
      ['Checking the console', bin('vue-tsc'), ['--noEmit'], at('console')],
      ['Building the console', bin('vite'), build, at('console')],
    ]);
  });
}

if (process.argv[1] === import.meta.filename) await prepare();
