import type {
  ActivityList,
  CheckpointDifference,
  ActivityQuery,
  OperatorEvents,
  Overview,
  ChangesResponse,
  DisturbanceRequest,
  DisturbanceResponse,
  HostSessionList,
  DealtWith,
  DealWithUnsettled,
  UnsettledList,
  UnsettledQuery,
  UnsettledSummary,
  CreateEnvironmentRequest,
  CreateEnvironmentResponse,
  CopyList,
  CreateKeyRequest,
  CreateKeyResponse,
  DeviceList,
  KeyList,
  KeySummary,
  LedgerPage,
  ManifestDiffResponse,
  ManifestFile,
  ManifestResponse,
  ManifestVersionList,
  MisfitList,
  MistakeList,
  OperatorResponse,
  PlayerDetails,
  PlayerList,
  SessionDetails,
  SessionList,
  SessionSaves,
  SignInResponse,
  TermsInHours,
  FoundByList,
  TermsResponse,
  TrashList,
} from '@vekkon/protocol';
import type { Transaction } from '@vekkon/core';
import { OperatorAccess } from './operator-access.js';
import { OperatorAccounts } from './operator-accounts.js';
import { OperatorIdentities, OperatorLimits } from './operator-identities.js';
import { OperatorBoards } from './operator-boards.js';
import { OperatorGifts } from './operator-gifts.js';
import { OperatorHistory } from './operator-history.js';
import { OperatorTransfer } from './operator-transfer.js';
import { OperatorTuning } from './operator-tuning.js';
import { queryOf } from './query-of.js';
import { listenToStream } from '../session/stream.js';
import { HttpTransport } from '../transport/transport.js';

export interface VekkonOperatorOptions {
  readonly url: string;
  /** The token from signing in; left out in the console, whose cookie no script can read. */
  readonly token?: string | undefined;
  /** Which environment the calls are about, as GAME/ENVIRONMENT; may be left out where there is only one. */
  readonly environment?: string | undefined;
}

/** For the console: the token is kept in a cookie that no script can read. */
interface KeepIn {
  readonly keepIn?: 'cookie';
}

interface SignInMore extends KeepIn {
  readonly code?: string;
}

/** What only the console's own pages send: the service takes their cookie with it, and with nothing else. */
const inConsole = { 'Vekkon-Console': '1' };

/** How long to wait for what looks at every player, in milliseconds: with a million of them it takes a minute. */
const counting = 300_000;

/** What the people behind the game do: the command line and the console are made of it. */
export class VekkonOperator {
  /** Who may sign in, and what they may do. */
  readonly access: OperatorAccess;
  /** Players' accounts. */
  readonly accounts: OperatorAccounts;
  /** Identity providers. */
  readonly identities: OperatorIdentities;
  /** How much one caller may ask for. */
  readonly limits: OperatorLimits;
  /** Leaderboards. */
  readonly boards: OperatorBoards;
  /** The same for many players at once. */
  readonly gifts: OperatorGifts;
  /** What players' records held before. */
  readonly history: OperatorHistory;
  /** Players that go elsewhere, or come from there. */
  readonly transfer: OperatorTransfer;
  /** Values of the running game that are changed from afar. */
  readonly tuning: OperatorTuning;
  readonly #transport: HttpTransport;

  constructor({ url, token, environment }: VekkonOperatorOptions) {
    this.#transport = new HttpTransport(url, {
      ...(token === undefined ? inConsole : { Authorization: `Bearer ${token}` }),
      ...(environment !== undefined && { 'Vekkon-Environment': environment }),
    });
    this.access = new OperatorAccess(this.#transport);
    this.accounts = new OperatorAccounts(this.#transport);
    this.identities = new OperatorIdentities(this.#transport);
    this.limits = new OperatorLimits(this.#transport);
    this.boards = new OperatorBoards(this.#transport);
    this.gifts = new OperatorGifts(this.#transport);
    this.history = new OperatorHistory(this.#transport);
    this.transfer = new OperatorTransfer(this.#transport);
    this.tuning = new OperatorTuning(this.#transport);
  }

  /**
   * Signs in.
   *
   * @param more the code of a second factor; and for the console, that the token is kept in a cookie
   * @throws ServiceRefused `sign-in-refused`, `second-factor-needed`, `second-factor-wrong`
   */
  static signIn(url: string, email: string, password: string, more: SignInMore = {}): Promise<SignInResponse> {
    return new HttpTransport(url, {}).send({ method: 'POST', path: '/v1/sign-in', body: { email, password, ...more } });
  }

  /** Becomes an operator, with the link of an invitation. */
  static acceptInvitation(
    url: string,
    body: { readonly invitation: string; readonly name: string; readonly password: string } & KeepIn,
  ): Promise<SignInResponse> {
    return new HttpTransport(url, {}).send({ method: 'POST', path: '/v1/operators/join', body });
  }

  /** Makes the first admin, with the link that the service's first start printed. */
  static becomeFirstAdmin(
    url: string,
    admin: {
      readonly invitation: string;
      readonly email: string;
      readonly name: string;
      readonly password: string;
    } & KeepIn,
  ): Promise<SignInResponse> {
    return new HttpTransport(url, {}).send({ method: 'POST', path: '/v1/operators/first', body: admin });
  }

  async signOut(): Promise<void> {
    await this.#transport.send({ method: 'POST', path: '/v1/sign-out' });
  }

  /** Who is signed in, and which environments there are. */
  self(): Promise<OperatorResponse> {
    return this.#get('/v1/operator');
  }

  /** Makes an environment, and its game if it is the first; the manifest is its file's text. */
  createEnvironment(environment: CreateEnvironmentRequest): Promise<CreateEnvironmentResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/environments', body: environment });
  }

  keys(): Promise<KeyList> {
    return this.#get('/v1/keys');
  }

  /** Makes a key; it is shown only now. */
  createKey(key: KeySummary['sort'] | CreateKeyRequest): Promise<CreateKeyResponse> {
    const body = typeof key === 'string' ? { sort: key } : key;
    return this.#transport.send({ method: 'POST', path: '/v1/keys', body });
  }

  /** A key is over from now on. @param id its first characters, as the list shows them */
  revokeKey(id: string): Promise<KeySummary> {
    return this.#transport.send({ method: 'DELETE', path: `/v1/keys/${encodeURIComponent(id)}` });
  }

  /** The installed manifest, or an older version, its short forms written out. */
  manifest(version?: number): Promise<ManifestResponse> {
    return this.#get(`/v1/manifest${queryOf({ version })}`);
  }

  /** Every version that was installed, the newest first. */
  manifestVersions(): Promise<ManifestVersionList> {
    return this.#get('/v1/manifest/versions');
  }

  /** A version's file, with what was learned since added to it. */
  manifestFile(version?: number): Promise<ManifestFile> {
    return this.#get(`/v1/manifest/file${queryOf({ version })}`);
  }

  /** Every mistake in a manifest file's text. */
  checkManifest(manifest: string): Promise<MistakeList> {
    return this.#transport.send({ method: 'POST', path: '/v1/manifest/check', body: { manifest } });
  }

  /** What installing a manifest would change, what would no longer fit, and which hosts it would break. */
  diffManifest(manifest: string): Promise<ManifestDiffResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/manifest/diff', body: { manifest }, timeout: counting });
  }

  /** Makes a manifest the next version, at once for all; one that says the same as the installed one makes none. */
  installManifest(
    manifest: string,
    { acceptMisfits = false }: { readonly acceptMisfits?: boolean } = {},
  ): Promise<{ readonly version: number; readonly unchanged?: true | undefined }> {
    const body = { manifest, acceptMisfits };
    return this.#transport.send({ method: 'POST', path: '/v1/manifest', body, timeout: counting });
  }

  /** Lets an environment that is not live declare keys from their first value, or no longer. */
  setLearning(learns: boolean): Promise<{ readonly learns: boolean }> {
    return this.#transport.send({ method: 'PUT', path: '/v1/manifest/learning', body: { learns } });
  }

  /** Stored values that the installed manifest does not allow. */
  misfits(count = 100): Promise<MisfitList> {
    return this.#get(`/v1/misfits?count=${count}`);
  }

  /** Movements of a player's currencies, the newest first. */
  ledger(
    player: string,
    query: { readonly currency?: string | undefined; readonly count?: number; readonly before?: number } = {},
  ): Promise<LedgerPage> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/ledger${queryOf(query)}`);
  }

  /** What was removed from a player and waits until its time is up. */
  trash(player: string): Promise<TrashList> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/trash`);
  }

  /** Brings back what was removed. @param trashed its number in the trash */
  bringBack(player: string, trashed: number): Promise<{ readonly broughtBack: string }> {
    const path = `/v1/players/${encodeURIComponent(player)}/trash/${trashed}/bring-back`;
    return this.#transport.send({ method: 'POST', path });
  }

  /** Makes a player new again: their next join is their first. */
  makeNew(player: string): Promise<{ readonly checkpoint: string; readonly records: number }> {
    return this.#transport.send({ method: 'POST', path: `/v1/players/${encodeURIComponent(player)}/make-new` });
  }

  /** Makes every player of the environment new; never in a live one. */
  makeAllNew(): Promise<{ readonly made: number; readonly inSession: number }> {
    return this.#transport.send({ method: 'POST', path: '/v1/players/make-new' });
  }

  /** Players whose id or name holds `search`, those who joined last first; only some of them where the query says so. */
  players(
    query: {
      readonly search?: string;
      readonly count?: number;
      readonly after?: string;
      readonly inSession?: 'true' | undefined;
      readonly hasUnsettled?: 'true' | undefined;
      /** RFC 3339. */
      readonly joinedSince?: string | undefined;
      /** By what they hold there, such as `currency/feather`, in its order. */
      readonly by?: string | undefined;
      readonly from?: number | undefined;
      readonly to?: number | undefined;
      readonly is?: string | undefined;
      /** On this board, at `place` or above. */
      readonly board?: string | undefined;
      readonly place?: number | undefined;
      readonly sort?: 'joined' | 'name' | 'id' | 'made' | undefined;
      readonly order?: 'ascending' | 'descending' | undefined;
    } = {},
  ): Promise<PlayerList> {
    return this.#get(`/v1/players${queryOf(query)}`);
  }

  player(id: string): Promise<PlayerDetails> {
    return this.#get(`/v1/players/${encodeURIComponent(id)}`);
  }

  /** A player's newest sessions. */
  sessionsOf(player: string, count = 20): Promise<SessionList> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/sessions?count=${count}`);
  }

  /** The saves of a session that changed something, the newest first, and what went wrong meanwhile. */
  savesOf(session: string, query: { readonly count?: number; readonly before?: number | undefined } = {}) {
    return this.#get<SessionSaves>(`/v1/sessions/${encodeURIComponent(session)}/saves${queryOf(query)}`);
  }

  /** A session with what was loaded at join and what is stored since. */
  session(id: string): Promise<SessionDetails> {
    return this.#get(`/v1/sessions/${encodeURIComponent(id)}`);
  }

  /** A host's newest sessions. */
  sessionsOfHost(host: string, count = 100): Promise<HostSessionList> {
    return this.#get(`/v1/hosts/${encodeURIComponent(host)}/sessions?count=${count}`);
  }

  /** A player's checkpoints, the newest first, with those that were given up. */
  checkpoints(player: string): Promise<CopyList> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/checkpoints`);
  }

  /** Makes a checkpoint of all that a player has; the game does not see it. */
  makeCheckpoint(player: string, name: string, summary?: string): Promise<{ readonly records: number }> {
    const path = `/v1/players/${encodeURIComponent(player)}/checkpoints`;
    return this.#transport.send({ method: 'POST', path, body: { name, ...(summary !== undefined && { summary }) } });
  }

  /** What restoring a checkpoint would change. */
  checkpointDifference(player: string, checkpoint: number): Promise<CheckpointDifference> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/checkpoints/${checkpoint}/difference`);
  }

  /** Brings back what a checkpoint holds, by its number. @returns the keys that hold something else now */
  restoreCheckpoint(player: string, checkpoint: number): Promise<{ readonly restored: readonly string[] }> {
    const path = `/v1/players/${encodeURIComponent(player)}/checkpoints/${checkpoint}/restore`;
    return this.#transport.send({ method: 'POST', path });
  }

  /** A player's own devices. */
  devices(player: string): Promise<DeviceList> {
    return this.#get(`/v1/players/${encodeURIComponent(player)}/devices`);
  }

  /** Shuts a device out: neither its tokens nor its secret are taken any more. */
  async revokeDevice(player: string, device: string): Promise<void> {
    const path = `/v1/players/${encodeURIComponent(player)}/devices/${encodeURIComponent(device)}`;
    await this.#transport.send({ method: 'DELETE', path });
  }

  /** Sets whether designers may publish where the environment is live. */
  async setPublishers(designers: boolean): Promise<void> {
    await this.#transport.send({ method: 'PUT', path: '/v1/environment/publishers', body: { designers } });
  }

  /** Sets from which web origins devices may call; null for any. */
  async setOrigins(origins: readonly string[] | null): Promise<void> {
    await this.#transport.send({ method: 'PUT', path: '/v1/environment/origins', body: { origins } });
  }

  /** How long what was is kept, in hours, and how much went. */
  terms(): Promise<TermsResponse> {
    return this.#get('/v1/environment/terms');
  }

  /** Sets how long what was is kept, in hours. */
  setTerms(terms: TermsInHours): Promise<TermsResponse> {
    return this.#transport.send({ method: 'PUT', path: '/v1/environment/terms', body: terms });
  }

  /** What players can be found by, beside their names and ids. */
  foundBy(): Promise<FoundByList> {
    return this.#get('/v1/environment/found-by');
  }

  /** Sets what players can be found by; what is stored already is taken in meanwhile. */
  setFoundBy(of: readonly string[]): Promise<FoundByList> {
    return this.#transport.send({ method: 'PUT', path: '/v1/environment/found-by', body: { of } });
  }

  /** Asks the host that holds a player for a save now. @returns whether it listens */
  saveNow(player: string): Promise<{ readonly asked: boolean; readonly host: string | null }> {
    return this.#transport.send({ method: 'POST', path: `/v1/players/${encodeURIComponent(player)}/save-now` });
  }

  /** Erases a player for good. */
  async erase(player: string): Promise<void> {
    await this.#transport.send({ method: 'DELETE', path: `/v1/players/${encodeURIComponent(player)}` });
  }

  /** Transactions that wait for a person, the newest first: of one player, or all that a query means. */
  unsettled(which: string | UnsettledQuery = {}): Promise<UnsettledList> {
    const query = typeof which === 'string' ? { player: which } : which;
    return this.#get(`/v1/unsettled${queryOf(query)}`);
  }

  /**
   * Changes a player by hand, through the same rules as a game, once for a
   * token of your own. Whole values need `ifRevision`.
   */
  change(player: string, token: string, transactions: readonly Transaction[]): Promise<ChangesResponse> {
    return this.#transport.send({
      method: 'POST',
      path: `/v1/players/${encodeURIComponent(player)}/changes`,
      headers: { 'Idempotency-Key': token },
      body: { transactions },
    });
  }

  /** Where they pile up: by reason and host, and the players who hold the most. */
  unsettledSummary(): Promise<UnsettledSummary> {
    return this.#get('/v1/unsettled/summary');
  }

  /**
   * Settles or drops all that are meant, in calls of up to 500; with `dryRun`
   * only says which they are. What comes meanwhile is left alone.
   *
   * @param onProgress told how many were dealt with, of how many
   */
  async dealWithUnsettled(
    what: 'settle' | 'drop',
    which: DealWithUnsettled,
    onProgress: (done: number, found: number) => void = () => undefined,
  ): Promise<DealtWith> {
    const path = `/v1/unsettled/${what}`;
    const call = (after?: string): Promise<DealtWith> =>
      this.#transport.send({ method: 'POST', path, body: { ...which, ...(after !== undefined && { after }) } });
    const first = await call();
    let { done, refused, next } = first;
    while (next !== null) {
      onProgress(done + refused.length, first.found);
      const more = await call(next);
      done += more.done;
      refused = [...refused, ...more.refused];
      next = more.next;
    }
    return { ...first, done, refused, next };
  }

  /** Applies an unsettled transaction after all. */
  async settle(id: string): Promise<void> {
    await this.#transport.send({ method: 'POST', path: `/v1/unsettled/${encodeURIComponent(id)}/settle` });
  }

  /** Drops an unsettled transaction: it is never applied. */
  async drop(id: string): Promise<void> {
    await this.#transport.send({ method: 'POST', path: `/v1/unsettled/${encodeURIComponent(id)}/drop` });
  }

  /** The disturbance that runs in the environment, if one does. */
  disturbance(): Promise<DisturbanceResponse> {
    return this.#get('/v1/disturbance');
  }

  startDisturbance(faults: DisturbanceRequest): Promise<DisturbanceResponse> {
    return this.#transport.send({ method: 'POST', path: '/v1/disturbance', body: faults });
  }

  /** Ends the disturbance. @returns what it did */
  stopDisturbance(): Promise<DisturbanceResponse> {
    return this.#transport.send({ method: 'DELETE', path: '/v1/disturbance' });
  }

  /** What happened in the environment, the newest first: as many lines, or those that a query means. */
  activity(which: number | ActivityQuery = {}): Promise<ActivityList> {
    return this.#get(`/v1/activity${queryOf(typeof which === 'number' ? { count: which } : which)}`);
  }

  /** How the game goes: who is in, how often it saves and how fast, what is refused, what is due. */
  overview(): Promise<Overview> {
    return this.#get('/v1/overview');
  }

  /**
   * Hears what happens, until the signal aborts; a connection that breaks is made again.
   *
   * @param about   which topics, and which player
   * @param handlers called with each event
   * @param onOpen  called each time that it listens: what happened before was not heard
   */
  listen(
    about: {
      readonly topics?: readonly ('activity' | 'boards' | 'gifts' | 'overview' | 'tuning')[];
      readonly player?: string | undefined;
    },
    handlers: { readonly [Name in keyof OperatorEvents]?: (data: OperatorEvents[Name]) => void },
    signal: AbortSignal,
    onOpen: () => void = () => undefined,
  ): Promise<void> {
    const query = queryOf({ topics: about.topics?.join(','), player: about.player });
    const { url, headers } = this.#transport;
    const stream = `${url}/v1/operator/stream${query}`;
    return listenToStream(
      stream,
      headers,
      handlers as { readonly [event: string]: (data: unknown) => void },
      onOpen,
      signal,
    );
  }

  #get<Answer>(path: string): Promise<Answer> {
    return this.#transport.send({ method: 'GET', path });
  }
}
