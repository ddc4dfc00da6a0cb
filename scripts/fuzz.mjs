// npm run fuzz: ten times as many made-up requests as in npm test.
import { run } from './prepare.mjs';

const { VEKKON_FUZZ_REQUESTS = '50000' } = process.env;
const env = { ...process.env, VEKKON_FUZZ_REQUESTS };
run('Making up requests', 'npx', ['mocha', 'tests/fuzz.test.ts'], { stdio: 'inherit', env });
