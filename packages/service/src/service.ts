import type { Overview } from '@vekkon/protocol';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';
import { version } from '@vekkon/protocol';
import { openStore, systemClock, type Clock, type Store } from '@vekkon/store';
import { Access } from './access.js';
import { Accounts } from './accounts/accounts.js';
import { IdentityProviders } from './accounts/identity-providers.js';
import { Mailer, type MailOptions } from './accounts/mailer.js';
import { SigningKeys } from './accounts/signing-keys.js';
import { overviewOf } from './routes/watch.js';
import { makeApp, type Pages } from './app.js';
import { BoardStreams } from './board-streams.js';
import { Boards } from './boards.js';
import { AccountLimits } from './limits/account-limits.js';
import { CallLimits } from './limits/call-limits.js';
import { Limits, type ServiceLimits } from './limits/limits.js';
import { SignInLimits } from './limits/sign-in-limits.js';
import { readCertificate, type CertificateFiles } from './certificate.js';
import { Connections } from './connections.js';
import { Disturbances } from './disturbances.js';
import { Environments } from './environments.js';
import { Gifts } from './gifts.js';
import { Handovers } from './handovers.js';
import type { Logger } from './log.js';
import { ManifestDesk } from './manifest-desk.js';
import { OperatorStreams } from './operator-streams.js';
import { OverviewCounts } from './overview.js';
import { PlayerSearch } from './player-search.js';
import { Pruning } from './pruning.js';
import { RouteTable } from './route-table.js';
import { SessionTunings } from './session-tunings.js';
import { Streams } from './streams.js';
import { TakingIn } from './taking-in.js';
import { Tending } from './tending.js';
import { hashToken, newToken } from './tokens.js';
import { TuningNoted } from './tuning-noted.js';
import { TuningStreams } from './tuning-streams.js';
import { Tunings } from './tunings.js';
import { tellTuning } from './tell-tuning.js';
import { Turns } from './turns.js';

export interface ServiceOptions {
  /** The data folder; made if it is missing. */
  readonly data: string;
  /** 0 for any free one. */
  readonly port: number;
  /** The address to listen on, such as 127.0.0.1. */
  readonly listen: string;
  readonly log: Logger;
  readonly clock?: Clock;
  /** Start on a database that is older than its last acknowledged commit. */
  readonly acceptsOlder?: boolean;
  /** Take this machine's clock as right, however far it has jumped. */
  readonly trustsClock?: boolean;
  /** Folders of a game that are served too. */
  readonly pages?: readonly Pages[];
  /** How much one caller may ask for; the usual numbers where left out. */
  readonly limits?: Partial<ServiceLimits> | undefined;
  /** The proxies whose word is taken on where a call comes from. */
  readonly behindProxy?: readonly string[] | number | undefined;
  /** Speaks TLS by itself with it; plain HTTP if left out. */
  readonly certificate?: CertificateFiles | undefined;
  /** Where it is met from outside, for links that are mailed; where it listens if left out. */
  readonly publicUrl?: string | undefined;
  /** How mail goes out; into the data folder if left out. */
  readonly mail?: MailOptions | undefined;
  /** Milliseconds that a connection is kept between two requests. */
  readonly keepAlive?: number | undefined;
}

/** A service that is up. */
export interface Service {
  readonly url: string;
  readonly store: Store;
  /** The link with which the first admin is made; null if there is one already. */
  readonly firstAdminLink: string | null;
  /** Resolves if nothing can be written any more by a fault of ours: the process must be ended, and started again. */
  readonly fault: Promise<Error>;
  /** Takes no new joins, answers what is running, closes the store. */
  close(): Promise<void>;
}

const invitationLasts = 60 * 60 * 1000;
/** How long the start waits for boards to be read, in milliseconds. */
const waitsForBoards = 1_000;
/** How long a stop waits for mail that is being sent, in milliseconds. */
const waitsForMail = 3_000;
const pruneEvery = 60 * 60 * 1000;
const dayLength = 24 * 60 * 60 * 1000;

/**
 * Starts the service on a data folder.
 *
 * @throws if the folder can't be opened or the port is taken
 */
export async function startService(options: ServiceOptions): Promise<Service> {
  const { log, clock = systemClock, acceptsOlder = false, trustsClock = false } = options;
  // Before anything is opened.
  if (options.certificate !== undefined) readCertificate(options.certificate);
  const store = await openStore(options.data, { clock, acceptsOlder, trustsClock });
  let isStopping = false;
  const streams = new Streams(() => clock.now());
  const handovers = new Handovers();
  const environments = new Environments(await store.reader.environments.all());
  const signingKeys = new SigningKeys(store, clock);
  const access = new Access(store.reader, store.writer, clock, environments, signingKeys);
  const mailer = new Mailer(options.data, options.mail ?? {}, clock, log);
  let listensAt = '';
  const identityProviders = new IdentityProviders(clock, log);
  const sharedByAccounts = { keys: signingKeys, mailer, providers: identityProviders };
  const accounts = new Accounts(store, clock, sharedByAccounts, () => options.publicUrl ?? listensAt);
  // What is kept in memory beside the store follows the feed: no route has to tell anybody.
  const boards = new Boards(store.longReads);
  const boardStreams = new BoardStreams(() => clock.now());
  const seasons = new Tending('Seasons', () => store.writer.do('tendSeasons', {}), clock, log);
  const tunings = new Tunings(store.reader, clock);
  const tuningNoted = new TuningNoted(store.writer, clock, log);
  const sessionTunings = new SessionTunings(store.reader, tunings, tuningNoted, log);
  const tuningStreams = new TuningStreams(() => clock.now());
  const windows = new Tending(
    'Windows',
    async () => ({ hasMore: false, nextAt: await store.writer.do('tendWindows', {}) }),
    clock,
    log,
  );
  boards.onMoved = (board) => boardStreams.moved(board);
  boards.onSeason = () => void seasons.tend();
  store.writer.onFollowerFault = (err, event) =>
    log.error({ err, what: event.what }, 'What a commit did could not be taken in: start the service again');
  const followers = [environments, access, streams, handovers, boards, boardStreams];
  // Sessions before tunings: whoever is told has what is known of them by then.
  for (const one of [...followers, tuningStreams, sessionTunings, tunings]) {
    store.writer.follow((event) => one.heed(event));
  }
  await tunings.load(environments.all);
  const manifests = new ManifestDesk();
  const limitNumbers = new Limits(environments, options.limits, () => clock.now());
  const playerSearch = new PlayerSearch(store.reader, store.longReads, boards);
  const takingIn = new TakingIn(store, environments, log);
  const gifts = new Gifts(store, playerSearch, log);
  const overview = new OverviewCounts(clock, await store.reader.overview.openSessions());
  const operatorStreams: OperatorStreams = new OperatorStreams(
    () => clock.now(),
    (environment): Promise<Overview> => overviewOf(desk, environments.numbered(environment)),
  );
  for (const one of [overview, operatorStreams]) store.writer.follow((event) => one.heed(event));
  const desk = {
    writer: store.writer,
    reader: store.reader,
    longReads: store.longReads,
    table: new RouteTable(),
    access,
    environments,
    clock,
    log,
    streams,
    handovers,
    manifests,
    limits: new CallLimits(limitNumbers),
    limitNumbers,
    signInLimits: new SignInLimits(limitNumbers, clock),
    accountLimits: new AccountLimits(limitNumbers),
    gifts,
    playerSearch,
    takingIn,
    accounts,
    overview,
    operatorStreams,
    disk: store.disk,
    boards,
    boardStreams,
    seasons,
    tunings,
    sessionTunings,
    tuningStreams,
    tuningNoted,
    turns: new Turns(),
    longTurns: new Turns(),
    disturbances: new Disturbances(clock),
    migration: store.migration,
    isDamaged: store.isDamaged,
    notes: () => notesOn(store),
    isStopping: () => isStopping,
    answering: (): (() => void) => connections.answering(),
  };
  tunings.onChanged = (environment, state) => {
    void windows.tend();
    void tellTuning(desk, environment, state).catch((err: unknown) => log.error({ err }, 'Tuning could not be told'));
  };
  // Small boards are there before anybody asks; a large one is read on while it answers, and says that it is not ready.
  const loading = boards.load(await store.reader.boards.live()).catch((err: unknown) => {
    if (!isStopping) log.error({ err }, 'The boards could not be read');
  });
  await Promise.race([loading, pause(waitsForBoards, undefined, { ref: false })]);
  const connections = new Connections(makeApp(desk, version, options), log, options);
  const url = await listening(connections.server, options).catch(async (error: unknown) => {
    await store.close();
    throw error;
  });
  listensAt = url;
  // What it starts on may be full: then it says so from the beginning.
  await store.writer.do('probe', {}).catch((err: unknown) => log.warn({ err }, 'Nothing can be written now'));
  for (const note of notesOn(store)) log.warn(note);
  void seasons.tend();
  void windows.tend();
  await gifts.goOn();
  void takingIn.run();
  const pruning = new Pruning(store, log, clock);
  await pruning.run();
  const hourly = setInterval(() => {
    for (const note of notesOn(store)) log.warn(note);
    void pruning.run().then(() => pruning.thin());
  }, pruneEvery);
  hourly.unref();
  log.info({ url, data: options.data, migration: store.migration }, `Vekkon is up at ${url}`);
  const firstAdminLink = await inviteFirstAdmin(store, url, clock).catch((err: unknown) => {
    log.warn({ err }, 'No link for a first admin could be made now: start again when the store can be written');
    return null;
  });
  const fault = store.fault.then((err) => {
    isStopping = true;
    log.fatal({ err }, 'The thread of the writer has ended: nothing can be written. What was answered is on disk');
    return err;
  });
  return { url, store, firstAdminLink, fault, close };

  async function close(): Promise<void> {
    isStopping = true;
    clearInterval(hourly);
    await pruning.stop();
    await gifts.stop();
    await takingIn.stop();
    // A mail server that does not answer holds up no stop.
    await Promise.race([mailer.settled(), pause(waitsForMail, undefined, { ref: false })]);
    streams.close();
    handovers.close();
    boards.close();
    boardStreams.close();
    operatorStreams.close();
    tuningStreams.close();
    tunings.close();
    await seasons.stop();
    await windows.stop();
    await tuningNoted.flush();
    await loading;
    manifests.close();
    await connections.close();
    await store.close();
    log.info('Vekkon has stopped: everything answered is on disk');
  }
}

/** What a person should look at, though the service goes on. */
function notesOn(store: Store): readonly string[] {
  const jump = store.clockJump();
  if (jump === 0) return [];
  const days = Math.round(Math.abs(jump) / dayLength);
  return [
    `The clock of this machine stands ${days} days ${jump > 0 ? 'ahead of' : 'behind'} where it should be by the last commit: nothing grows old, and nothing is pruned, until it is right again. If it is right, start once with --trust-clock.`,
  ];
}

function listening(server: Server, { port, listen, certificate }: ServiceOptions): Promise<string> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => reject(notListening(error, listen, port)));
    server.listen(port, listen, () => {
      const address = server.address() as AddressInfo;
      const name = address.family === 'IPv6' ? `[${address.address}]` : address.address;
      resolve(`${certificate === undefined ? 'http' : 'https'}://${name}:${address.port}`);
    });
  });
}

function notListening(cause: NodeJS.ErrnoException, listen: string, port: number): Error {
  const why: { readonly [code: string]: string } = {
    EADDRINUSE: `port ${port} of ${listen} is taken by another process: stop that, or choose another port`,
    EACCES: `this user may not listen on port ${port}: choose one from 1024 upwards`,
    EADDRNOTAVAIL: `this machine has no address ${listen}: choose one of its own`,
    ENOTFOUND: `"${listen}" is no address: write one such as 127.0.0.1`,
  };
  return new Error(`The service can't be started: ${why[cause.code ?? ''] ?? cause.message}.`, { cause });
}

async function inviteFirstAdmin(store: Store, url: string, clock: Clock): Promise<string | null> {
  if (await store.reader.access.hasOperator()) return null;
  const invitation = newToken('invitation');
  const expiresAt = clock.now() + invitationLasts;
  await store.writer.do('addCredential', {
    hash: hashToken(invitation),
    sort: 'first-admin',
    operator: null,
    expiresAt,
  });
  // Behind "#", so that the token is in no server's log.
  return `${url}/console/first-admin#${invitation}`;
}
