// Writes what this version stores into tests/stores, so that later versions
// can be tried on it: to be run once before each new migration.
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import Database from 'better-sqlite3';
import { VekkonOperator } from '@vekkon/client';
import { demoManifest } from '@vekkon/demo';
import { openLog, startService } from '@vekkon/service';

const stores = path.join(import.meta.dirname, '../tests/stores');
const data = mkdtempSync(path.join(tmpdir(), 'vekkon-store-'));
const service = await startService({
  data,
  port: 0,
  listen: '127.0.0.1',
  log: openLog('json', path.join(data, 'log')),
});
const [, invitation] = service.firstAdminLink.split('#');
const admin = { email: 'tobin@highfell.example', name: 'Tobin', password: 'over-the-gorge' };
const { token: operatorToken } = await VekkonOperator.becomeFirstAdmin(service.url, { ...admin, invitation });
const made = await new VekkonOperator({ url: service.url, token: operatorToken }).createEnvironment({
  manifest: demoManifest(),
  environment: 'dev',
  live: false,
});

async function call(method, route, body, { key = made.hostKey, ...headers } = {}) {
  const response = await fetch(service.url + route, {
    method,
    headers: { Authorization: `Bearer ${key}`, ...headers },
    body: JSON.stringify(body),
  });
  return response.json();
}

const changes = [
  { op: 'increase', key: 'progress/climbs', path: '', by: 3 },
  { op: 'credit', key: 'currency/feather', amount: 30, reason: 'climb' },
  { op: 'submit', key: 'score/gorge-run', value: 61250 },
];
const { session } = await call('POST', '/v1/players/p-1/join', { host: 'ridge-eu-1', attempt: 'a', name: 'Maren' });
for (const number of [1, 2]) {
  const transactions = [{ changes, label: 'climb', once: `once-${number}` }];
  await call('POST', `/v1/sessions/${session.id}/saves`, { number, transactions });
}
await call('POST', `/v1/sessions/${session.id}/leave`, { number: 3, transactions: [{ changes }] });
// Too late: it is kept as unsettled.
await call('POST', `/v1/sessions/${session.id}/saves`, { number: 4, transactions: [{ changes }] });
const { session: open } = await call('POST', '/v1/players/p-2/join', { host: 'ridge-eu-1' });
await call('POST', `/v1/sessions/${open.id}/saves`, { number: 1, transactions: [{ changes }] });
await call('PUT', '/v1/players/p-3/records/progress/climbs', 17);
const gift = [{ changes: [{ op: 'credit', key: 'currency/feather', amount: 5, reason: 'gift' }] }];
await call('POST', '/v1/players/p-1/changes', { transactions: gift }, { 'Idempotency-Key': 'gift-1' });
await call('POST', '/v1/devices', { secret: 'a-secret-of-forty-characters-for-a-device' }, { key: made.deviceKey });
await service.close();

const database = new Database(path.join(data, 'vekkon.sqlite'));
const name = database.prepare('select name from kysely_migration order by name desc').pluck().get().slice(0, 4);
const lines = [];
const things = database
  .prepare("select type, name, sql from sqlite_master where sql is not null and name not like 'sqlite_%'")
  .all()
  // Made anew from the players at each start where it is missing.
  .filter(({ name: thing }) => !thing.startsWith('player_parts'));
for (const { name: table, sql } of things.filter(({ type }) => type === 'table')) {
  lines.push(`${sql};`);
  for (const row of database.prepare(`select * from "${table}"`).raw().all()) {
    lines.push(`insert into "${table}" values (${row.map(literal).join(', ')});`);
  }
}
for (const { sql } of things.filter(({ type }) => type === 'index')) lines.push(`${sql};`);
const secrets = { hostKey: made.hostKey, operatorToken, session: session.id, open: open.id };
writeFileSync(path.join(stores, `${name}.sql`), `${lines.join('\n')}\n`);
writeFileSync(path.join(stores, `${name}.json`), `${JSON.stringify(secrets, null, 2)}\n`);
rmSync(data, { recursive: true });
process.stdout.write(`tests/stores/${name}.sql is written.\n`);

function literal(value) {
  if (value === null) return 'null';
  return typeof value === 'number' ? String(value) : `'${String(value).replaceAll("'", "''")}'`;
}
