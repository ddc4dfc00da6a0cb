// npm run check: types, linter, formatter.
import path from 'node:path';
import { prepare, root, run } from './prepare.mjs';

const bin = (name) => path.join(root, 'node_modules', '.bin', name);
await prepare();
run('Checking the types of the tests', bin('tsc'), ['-p', 'tsconfig.tests.json']);
run('The linter', bin('eslint'), ['.']);
run('The formatter', bin('prettier'), ['--check', '--log-level', 'warn', '.']);
console.log('Types, linter and formatter: nothing to say.');
