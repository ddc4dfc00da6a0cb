import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { VekkonOperator } from '@vekkon/client';
import { openLog, startService, type Service } from '@vekkon/service';
import { Fleet } from './fleet.js';
import { HistoryClock, writeHistory } from './history.js';
import { leaveDraft } from './tuned.js';

export interface DemoOptions {
  readonly data: string;
  readonly port: number;
  /** How many simulated pilots fly. */
  readonly pilots: number;
  /** How many have forty days of play behind them. */
  readonly history?: number;
  /** Throw away what is in the folder and start over. */
  readonly fresh: boolean;
  /** After how many milliseconds the season of the gorge turns; by itself if left out. */
  readonly seasonIn?: number | undefined;
  /** Told to the person who started it. */
  readonly say: (line: string) => void;
}

/** How to reach a demo: what `access.json` in its data folder holds. */
export interface DemoAccess {
  readonly url: string;
  readonly game: string;
  readonly environment: string;
  readonly hostKey: string;
  readonly deviceKey: string;
  readonly operator: { readonly email: string; readonly password: string };
}

export interface Demo {
  readonly access: DemoAccess;
  readonly service: Service;
  readonly fleet: Fleet;
  close(): Promise<void>;
}

/** How many pilots have forty days behind them, unless somebody says otherwise. */
const pilotsWithHistory = 2_400;
const environmentName = 'dev';
const day = 24 * 60 * 60 * 1000;

/** The text of Highfell Gliders' manifest. */
export function demoManifest(): string {
  return readFileSync(fileURLToPath(new URL('../highfell-gliders.yaml', import.meta.url)), 'utf8');
}

/** The board of the small game at /play: everybody's own devices may submit to it. */
const boardOfPlay = `boards:
  gull-valley:
    about: From end to end through Gull Valley, for everybody who plays at /play.
    player: write # their own devices say how long it took, which can be forged
    better: lower
    counts: best
    unit: seconds
    lowest: 5
    doubtful: { below: 8 }
`;

/** The manifest that the demo installs: the game's, and a board for those who play at /play. */
function manifestToInstall(): string {
  return demoManifest().replace(/^boards:\n/m, boardOfPlay);
}

/**
 * Starts a service with Highfell Gliders on it, and a fleet of pilots who play.
 * A folder that already has data is kept as it is.
 */
export async function startDemo({
  data,
  port,
  pilots,
  history = pilotsWithHistory,
  fresh,
  seasonIn,
  say,
}: DemoOptions): Promise<Demo> {
  const accessFile = path.join(data, 'access.json');
  if (fresh && existsSync(data)) {
    if (!existsSync(accessFile))
      throw new Error(`${data} is no demo's folder: it holds no access.json, and is left alone.`);
    say(`Starting over: all data in ${data} is thrown away.`);
    rmSync(data, { recursive: true });
  }
  if (!existsSync(accessFile)) {
    if (existsSync(data) && readdirSync(data).length > 0) {
      throw new Error(`${data} is not empty and no demo's folder: choose another with --data.`);
    }
    say('Writing forty days of made-up play …');
    // Beside the folder and moved at the end: a demo that is interrupted here starts over.
    const unfinished = `${data}.unfinished`;
    rmSync(unfinished, { recursive: true, force: true });
    const saves = await makeData(unfinished, history);
    renameSync(unfinished, data);
    say(`${history} pilots, ${saves} saves.`);
  }
  const log = openLog('json', path.join(data, 'service.log'));
  const service = await startService({
    data,
    port,
    listen: '127.0.0.1',
    log,
    pages: pagesOfPlay(data),
    // A demo that lay in a drawer for weeks is nothing to ask about.
    trustsClock: true,
  });
  const access = { ...(JSON.parse(readFileSync(accessFile, 'utf8')) as DemoAccess), url: service.url };
  writeAccess(accessFile, access);
  writeKeyForPage(data, access.deviceKey);
  await installNewest(access, seasonIn, say);
  service.store.warm();
  const fleet = new Fleet(service.url, access.hostKey, pilots);
  return {
    access,
    service,
    fleet,
    async close() {
      await fleet.stop();
      await service.close();
    },
  };
}

/** A folder from an earlier version of the demo gets the manifest of this one. */
async function installNewest(access: DemoAccess, seasonIn: number | undefined, say: DemoOptions['say']): Promise<void> {
  const { url, operator, game, environment } = access;
  const { token } = await VekkonOperator.signIn(url, operator.email, operator.password);
  const admin = new VekkonOperator({ url, token, environment: `${game}/${environment}` });
  const { text } = await admin.manifestFile();
  const turnsAt = seasonIn === undefined ? undefined : new Date(Date.now() + Math.max(seasonIn, shortestSeason));
  const wanted = turnsAt === undefined ? manifestToInstall() : turningAt(turnsAt);
  if (text === wanted) return await admin.signOut();
  const { version } = await admin.installManifest(wanted, { acceptMisfits: true });
  await admin.signOut();
  say(`Installed this version's manifest, as version ${version}.`);
  if (turnsAt !== undefined) say(`The season of the gorge turns at ${turnsAt.toISOString().slice(11, 16)} UTC.`);
}

/** A cron expression knows minutes: the next whole one is at most so far away. */
const shortestSeason = 60_000;

/** The manifest with a season that turns at a moment, and a short time of grace. */
function turningAt(at: Date): string {
  const cron = `${at.getUTCMinutes()} ${at.getUTCHours()} ${at.getUTCDate()} ${at.getUTCMonth() + 1} *`;
  return manifestToInstall().replace('season: weekly', `season: "${cron}"\n    grace: 10`);
}

/** The game at /play, and beside it the key that it shows. */
export function pagesOfPlay(data: string): readonly { readonly at: string; readonly folder: string }[] {
  return [
    { at: '/play', folder: fileURLToPath(new URL('../play', import.meta.url)) },
    { at: '/play', folder: path.join(data, 'play') },
  ];
}

/** A device key is no secret: every copy of the game carries it. */
export function writeKeyForPage(data: string, deviceKey: string): void {
  mkdirSync(path.join(data, 'play'), { recursive: true });
  writeFileSync(path.join(data, 'play', 'key.json'), `${JSON.stringify({ deviceKey })}\n`);
}

function writeAccess(file: string, access: DemoAccess): void {
  // Keys and a password: for the owner's eyes.
  writeFileSync(file, `${JSON.stringify(access, null, 2)}\n`, { mode: 0o600 });
}

/** One pilot is kept off the gorge, as somebody would who looks after it. */
async function keepHonest(admin: VekkonOperator): Promise<void> {
  const { standings } = await admin.boards.stretch('gorge-run', { count: 1 });
  const [first] = standings;
  if (first !== undefined) await admin.boards.bar('gorge-run', first.player, 'flew the gorge without a glider');
}

/** Makes the first admin and the environment as a person would, then writes the history. */
async function makeData(data: string, history: number): Promise<number> {
  const until = Date.now();
  const clock = new HistoryClock(until - 41 * day);
  const log = openLog('json', path.join(data, 'history.log'));
  const service = await startService({ data, port: 0, listen: '127.0.0.1', log, clock });
  try {
    const invitation = service.firstAdminLink?.split('#')[1];
    if (invitation === undefined) throw new Error(`${data} has an admin already.`);
    const operator = { email: 'maren@highfell.example', password: randomBytes(9).toString('base64url') };
    const { token } = await VekkonOperator.becomeFirstAdmin(service.url, { invitation, name: 'Maren', ...operator });
    const admin = new VekkonOperator({ url: service.url, token });
    const made = await admin.createEnvironment({ manifest: manifestToInstall(), environment: environmentName });
    const environment = await service.store.reader.environments.named(made.game, made.environment);
    if (environment === undefined) throw new Error('The environment that was just made is not there.');
    const saves = await writeHistory(
      service.store,
      clock,
      { environment: environment.number, designer: operator.email },
      history,
      until,
    );
    const testers = ['p-10401', 'p-10407'];
    await leaveDraft(service.store, environment.number, operator.email, testers);
    // Forty days later the first sign-in is over.
    const again = await VekkonOperator.signIn(service.url, operator.email, operator.password);
    const afterwards = new VekkonOperator({ url: service.url, token: again.token });
    await afterwards.setFoundBy(['currency/feather', 'progress/flight#/chapter', 'attribute/platform']);
    await keepHonest(afterwards);
    writeAccess(path.join(data, 'access.json'), {
      url: service.url,
      game: made.game,
      environment: made.environment,
      hostKey: made.hostKey,
      deviceKey: made.deviceKey,
      operator,
    });
    return saves;
  } finally {
    await service.close();
  }
}
