// npm run demo: everything from a fresh clone to a running service.
import path from 'node:path';
import { prepare, root } from './prepare.mjs';

await prepare();
process.argv.splice(2, 0, 'demo');
await import(path.join(root, 'packages/cli/bin/vekkon.js'));
