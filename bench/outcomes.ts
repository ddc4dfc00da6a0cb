/**
 * What keeping the outcomes of saves costs: the same saves, by as many
 * players, turn about in one run, of senders that say which answers they have
 * (`answered`, as the client does), of senders that never say it, for whom the
 * last twenty are kept, and of senders that are twenty answers behind. Through
 * the writer alone, so that nothing else is in the way.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { readManifestFile } from '@vekkon/core/manifest-file';
import { demoManifest } from '@vekkon/demo';
import { openStore } from '@vekkon/store';

const players = 50;
const rounds = 8;
const savesPerTurn = 40;

const senders = {
  'say what they have': (number: number) => number - 1,
  'never say it': () => null,
  'are twenty behind': (number: number) => Math.max(0, number - 21),
} as const;
type Sender = keyof typeof senders;

const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-bench-'));
const { writer, close } = await openStore(folder);
const read = readManifestFile(demoManifest());
if (!('manifest' in read)) throw new Error('The demo has a manifest with mistakes.');
const { number: environment } = await writer.do('createEnvironment', {
  game: read.manifest.game,
  name: 'dev',
  isLive: false,
  leaseSeconds: 900,
  manifest: { manifest: read.manifest, source: '' },
  origins: null,
  keys: [],
  by: 'tobin@highfell.example',
});
const sessions = new Map<Sender, { readonly session: string; number: number }[]>();
for (const sender of Object.keys(senders) as Sender[]) {
  const joined = await Promise.all(Array.from({ length: players }, (_, index) => join(sender, index)));
  sessions.set(sender, joined);
}
const took = new Map<Sender, number[]>();
for (let round = 0; round < rounds; round++) {
  for (const sender of sessions.keys()) {
    const before = performance.now();
    await saveAll(sender);
    took.set(sender, [...(took.get(sender) ?? []), performance.now() - before]);
  }
}
const median = (values: readonly number[]) => [...values].sort((a, b) => a - b)[values.length >> 1] ?? NaN;
const yardstick = median(took.get('say what they have') ?? []);
process.stdout.write(`Saves of ${players} players at once, ${savesPerTurn} each a turn, medians of ${rounds} turns:\n`);
for (const [sender, times] of took) {
  const each = (median(times) * 1_000) / (players * savesPerTurn);
  process.stdout.write(
    `  of senders that ${sender.padEnd(18)} ${each.toFixed(0).padStart(5)} µs each, ratio ${(median(times) / yardstick).toFixed(2)}\n`,
  );
}
await close();
rmSync(folder, { recursive: true });

async function join(sender: Sender, index: number) {
  const session = `ses_bench-${sender.replaceAll(' ', '-')}-${index}`;
  await writer.do('join', {
    environment,
    player: `p-${sender}-${index}`,
    session,
    host: 'ridge-eu-1',
    instance: null,
    device: null,
    attempt: null,
    name: null,
    attributes: {},
    manifest: null,
    waits: false,
  });
  return { session, number: 1 };
}

async function saveAll(sender: Sender): Promise<void> {
  for (let save = 0; save < savesPerTurn; save++) {
    await Promise.all((sessions.get(sender) ?? []).map((one) => saveOnce(sender, one)));
  }
}

async function saveOnce(sender: Sender, one: { readonly session: string; number: number }): Promise<void> {
  const number = one.number++;
  await writer.do('save', {
    environment,
    session: one.session,
    device: null,
    number,
    seen: null,
    answered: senders[sender](number),
    transactions: [
      {
        changes: [
          { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
          { op: 'increase', key: 'progress/flight', path: '/metres', by: 300 },
        ],
      },
    ],
    leave: false,
  });
}
