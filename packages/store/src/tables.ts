import type { ColumnType, Generated, Insertable, Selectable } from 'kysely';
import type { LedgerLine, ScoreDeclaration, SessionEnd, Trashed } from '@vekkon/core';
import type {
  AccountLinkTable,
  AccountTable,
  IdentityProviderTable,
  IdentityTable,
  IdentityTryTable,
  RefreshTokenTable,
  SignInTable,
  SigningKeyTable,
} from './account-tables.js';
import type {
  CredentialTable,
  DeviceTable,
  InvitationTable,
  OperatorRoleTable,
  OperatorTable,
} from './access-tables.js';
import type { FoundByTable, FoundValueTable } from './found-by-tables.js';
import type { GiftPlayerTable, GiftTable } from './gift-tables.js';
import type {
  DraftChangeTable,
  DraftTable,
  EditionTable,
  TesterTable,
  TrialPlayerTable,
  TunableAskedTable,
} from './tuning-tables.js';

/** Milliseconds since 1970, UTC. */
type Time = number;
/** A boolean, stored as 0 or 1. */
type Flag = number;
/** JSON, stored as text. */
type JsonText = string;
type WrittenOnce<T> = ColumnType<T, T, never>;

export interface EnvironmentTable {
  number: Generated<number>;
  game: WrittenOnce<string>;
  name: WrittenOnce<string>;
  is_live: Flag;
  lease_seconds: number;
  manifest_version: number | null;
  /** What is not declared is declared from its first value. */
  learns: ColumnType<Flag, Flag | undefined, Flag>;
  /** Grows with everything that is learned or forgotten: the manifest is another one then. */
  learned: ColumnType<number, number | undefined, number>;
  /** The web origins from which devices may call, as a JSON list; null for any. */
  origins: JsonText | null;
  /** Where it is live: may designers publish, as admins do? */
  designers_publish: ColumnType<Flag, Flag | undefined, Flag>;
  /** How long what was is kept, as JSON; null for as long as usual. */
  terms: ColumnType<JsonText | null, JsonText | null | undefined, JsonText | null>;
  /** How much one caller may ask for where it is not as usual, as JSON. */
  limits: ColumnType<JsonText | null, JsonText | null | undefined, JsonText | null>;
  created_at: WrittenOnce<Time>;
}

export interface ManifestTable {
  environment: WrittenOnce<number>;
  version: WrittenOnce<number>;
  /** The file as it was last sent with this content. */
  source: string;
  /** The same with its short forms written out. */
  manifest: WrittenOnce<JsonText>;
  installed_at: WrittenOnce<Time>;
  by: WrittenOnce<string | null>;
}

/** What an environment that learns has declared by itself. */
export interface LearnedTable {
  environment: WrittenOnce<number>;
  section: WrittenOnce<'records' | 'items'>;
  name: WrittenOnce<string>;
  declaration: WrittenOnce<JsonText>;
  at: WrittenOnce<Time>;
  by: WrittenOnce<string | null>;
}

export interface PlayerTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  id: WrittenOnce<string>;
  name: string | null;
  /** What the player is found by: name and id, folded. */
  folded: string;
  created_at: WrittenOnce<Time>;
  /** Null: things were put for them, but they never joined and are new. */
  first_joined_at: Time | null;
  last_joined_at: Time | null;
  last_left_at: Time | null;
  /** Grows with every session. */
  fence: number;
  /** Counts every commit to the player's records. */
  seen: number;
}

export interface RecordTable {
  player: WrittenOnce<number>;
  key: WrittenOnce<string>;
  revision: number;
  value: JsonText;
  /** It was removed: only its revision counts. */
  removed: Flag;
  /** The player's `seen` at the commit that wrote it. */
  seen: number;
  changed_at: Time;
}

/** Every revision of every record, the newest too. */
export interface HistoryTable {
  player: number;
  key: string;
  revision: number;
  value: JsonText;
  removed: Flag;
  seen: number;
  at: Time;
  session: string | null;
  by: string | null;
  label: string | null;
  /** The revision whose place it took, 0 for none; null for rows from before this was kept. */
  follows: number | null;
  /** Tells whether the row is as it was written; null for rows from before there were digests. */
  digest: string | null;
}

export interface LedgerTable {
  number: Generated<number>;
  player: number;
  key: string;
  at: Time;
  op: LedgerLine['op'];
  amount: number;
  balance: number;
  reason: string;
  count: number;
  session: string | null;
  /** The host of the session, an operator's e-mail, or the key that was shown. */
  by: string | null;
  label: string | null;
}

/** What was removed or put back to its start, until its time is up. */
export interface TrashTable {
  number: Generated<number>;
  player: number;
  key: string;
  revision: number;
  value: JsonText;
  at: Time;
  why: Trashed['by'];
  by: string | null;
  session: string | null;
  label: string | null;
}

/** A named copy of a player's records. */
export interface CheckpointTable {
  number: Generated<number>;
  player: number;
  name: string;
  summary: string | null;
  at: Time;
  by: string | null;
  /** An operator made it: the game does not see it. */
  by_operator: Flag;
  seen: number;
  /** By key: revision and value. */
  records: JsonText;
  /** Another took its place; it is kept for a while. */
  given_up_at: Time | null;
}

/** What was changed from outside a session since the player's oldest checkpoint: a restore applies it again. */
export interface OutsideChangeTable {
  number: Generated<number>;
  player: number;
  seen: number;
  at: Time;
  /** A change, or a key and the value that was brought back. */
  content: JsonText;
}

export interface HostInstanceTable {
  number: Generated<number>;
  environment: number;
  host: string;
  instance: string;
  seen_at: Time;
}

export interface SessionTable {
  id: WrittenOnce<string>;
  environment: WrittenOnce<number>;
  player: WrittenOnce<number>;
  host: WrittenOnce<string>;
  instance: WrittenOnce<string | null>;
  /** The id of the player's own device that opened it; null for a game server's. */
  device: WrittenOnce<string | null>;
  attempt: WrittenOnce<string | null>;
  fence: WrittenOnce<number>;
  is_new: WrittenOnce<Flag>;
  /** The version whose names this session speaks. */
  manifest_version: WrittenOnce<number>;
  attributes: WrittenOnce<JsonText>;
  joined_at: WrittenOnce<Time>;
  seen_at_join: WrittenOnce<number>;
  ended_at: Time | null;
  end: SessionEnd | null;
  seen_at_end: number | null;
  next_save: number;
  last_saved_at: Time | null;
  last_digest: string | null;
  /** The response to the last save but for `now` and `session`. */
  last_outcome: JsonText | null;
  /** The response to the leave. */
  leave_outcome: JsonText | null;
  /** The highest number whose answer the sender says that it has; null if it never said. */
  answered: number | null;
  /** The lowest number whose outcome lies among the save outcomes; null if none does. */
  outcomes_from: number | null;
  /** How much lies there, in bytes of UTF-8. */
  outcomes_bytes: number;
}

/** Responses to saves before a session's last, until the sender says that it has them. */
export interface SaveOutcomeTable {
  session: WrittenOnce<string>;
  number: WrittenOnce<number>;
  digest: WrittenOnce<string>;
  outcome: WrittenOnce<JsonText>;
  bytes: WrittenOnce<number>;
}

export interface OnceTokenTable {
  player: number;
  token: string;
  at: Time;
}

/** Transactions that wait for a person: alike ones of a player are one. */
export interface UnsettledTable {
  id: WrittenOnce<string>;
  environment: WrittenOnce<number>;
  player: WrittenOnce<number>;
  /** The same for alike ones; null for one that is like no other. */
  likeness: WrittenOnce<string | null>;
  /** Of the last that was added: its session, host and save. */
  session: string;
  host: string;
  save_number: number;
  content: JsonText;
  reason: WrittenOnce<string>;
  detail: string;
  first_at: WrittenOnce<Time>;
  last_at: Time;
  /** How many are in it. */
  count: number;
  /** What content and detail take. */
  bytes: number;
}

/** How many wait, by reason and host; the host is empty for all of players' own devices. */
export interface UnsettledSumTable {
  environment: WrittenOnce<number>;
  reason: WrittenOnce<string>;
  host: WrittenOnce<string>;
  unlike: number;
  transactions: number;
}

export interface UnsettledOfPlayerTable {
  player: WrittenOnce<number>;
  environment: WrittenOnce<number>;
  unlike: number;
  transactions: number;
  bytes: number;
}

/** Saves that came too late, and where what they held is kept. */
export interface LateSaveTable {
  session: WrittenOnce<string>;
  number: WrittenOnce<number>;
  /** Empty for those from before it was kept. */
  digest: WrittenOnce<string>;
  /** The ids, in the order of the save. */
  unsettled: WrittenOnce<JsonText>;
  at: WrittenOnce<Time>;
}

/** How much a player's own devices wrote in the last hour in which they wrote, counted from 1970. */
export interface WrittenByPlayerTable {
  player: WrittenOnce<number>;
  hour: number;
  bytes: number;
}

/** How much of a currency was credited in one minute, counted from 1970. */
export interface CreditedTable {
  player: WrittenOnce<number>;
  key: WrittenOnce<string>;
  minute: WrittenOnce<number>;
  amount: number;
}

/** A board, or one member of a family of boards. */
export interface BoardTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  /** Without its kind: `gorge-run`, `valley/Gull Valley`. */
  key: string;
  created_at: WrittenOnce<Time>;
}

/** The seasons of a board: the open one, those that have turned, and those that are closed. */
export interface SeasonTable {
  board: WrittenOnce<number>;
  /** From 1. */
  number: WrittenOnce<number>;
  /** When it turns, as the manifest declared it. */
  season: string;
  better: WrittenOnce<ScoreDeclaration['better']>;
  counts: WrittenOnce<ScoreDeclaration['counts']>;
  opened_at: WrittenOnce<Time>;
  /** Null if it never turns. */
  turns_at: Time | null;
  turned_at: Time | null;
  /** When its time of grace is over; null while it is open. */
  closes_at: Time | null;
  closed_at: Time | null;
  /** The operator who closed it by hand, and why. */
  closed_by: string | null;
  reason: string | null;
  /** How many standings there were when it closed. */
  standings: number;
  /** What it gives, fixed at its close. */
  rewards: JsonText | null;
  /** How many standings have their rank, from the first: what is left of closing it. */
  ranked: number;
  /** How many players were given something. */
  given: number;
  done_at: Time | null;
}

export interface StandingTable {
  board: WrittenOnce<number>;
  season: WrittenOnce<number>;
  player: WrittenOnce<number>;
  value: number;
  /** What it is ordered by: the smaller, the better. */
  worth: number;
  reached: Time;
  /** Set once the season is closed. */
  rank: number | null;
}

/** Standings that were taken off, and can be put back. */
export interface SetAsideTable {
  board: WrittenOnce<number>;
  season: WrittenOnce<number>;
  player: WrittenOnce<number>;
  value: number;
  reached: Time;
  why: 'taken-off' | 'barred';
  reason: string;
  by: string;
  at: Time;
}

/** Players who are kept off a board. */
export interface BarredTable {
  board: WrittenOnce<number>;
  player: WrittenOnce<number>;
  reason: string;
  by: string;
  at: Time;
}

/** Results that count nowhere until a person has accepted them. */
export interface DoubtfulTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  board: WrittenOnce<number>;
  key: WrittenOnce<string>;
  player: WrittenOnce<number>;
  value: WrittenOnce<number>;
  at: WrittenOnce<Time>;
  name: WrittenOnce<string | null>;
  note: WrittenOnce<string | null>;
  session: WrittenOnce<string | null>;
  host: WrittenOnce<string | null>;
  save_number: WrittenOnce<number | null>;
  /** The score record as it was before. */
  before: WrittenOnce<JsonText>;
  state: 'waiting' | 'accepted' | 'rejected';
  decided_at: Time | null;
  decided_by: string | null;
  reason: string | null;
}

/** What was given for a closed season, once for each player. */
export interface RewardTable {
  board: WrittenOnce<number>;
  season: WrittenOnce<number>;
  player: WrittenOnce<number>;
  rank: WrittenOnce<number>;
  /** Which of the season's rewards. */
  line: WrittenOnce<number>;
  at: WrittenOnce<Time>;
  /** Why it could not be given, and waits as unsettled. */
  problem: WrittenOnce<string | null>;
}

export interface ActivityTable {
  number: Generated<number>;
  /** Null for what concerns the service as a whole, such as sign-ins. */
  environment: number | null;
  at: Time;
  what: string;
  by: string | null;
  player: string | null;
  detail: string;
  /** When it is forgotten. */
  until: Time | null;
}

/** That a player was erased. */
export interface TombstoneTable {
  environment: number;
  /** A hash of the environment and the id: it tells who they were only to who knows the id. */
  player: string;
  erased_at: Time;
}

/** How much of what was kept longer than its term went. */
export interface PrunedTable {
  environment: WrittenOnce<number>;
  what: WrittenOnce<string>;
  rows: number;
  /** The last time. */
  at: Time;
}

export interface OutsideRequestTable {
  environment: number;
  /** The idempotency key. */
  token: string;
  digest: string;
  outcome: JsonText;
  at: Time;
  /** Whose balances the outcome holds; null in rows from before it was kept. */
  player: number | null;
}

/** One row: how many commits there were, and the trusted time of the last. */
export interface CommitTable {
  number: number;
  at: Time;
}

/** One row, written to find out whether anything can be written. */
export interface ProbeTable {
  at: Time;
  /** As large as a large save, for as long as it takes to find out; null otherwise. */
  filler: string | null;
}

export interface Tables {
  environments: EnvironmentTable;
  manifests: ManifestTable;
  operators: OperatorTable;
  operator_roles: OperatorRoleTable;
  invitations: InvitationTable;
  credentials: CredentialTable;
  players: PlayerTable;
  records: RecordTable;
  history: HistoryTable;
  ledger: LedgerTable;
  learned: LearnedTable;
  trash: TrashTable;
  checkpoints: CheckpointTable;
  outside_changes: OutsideChangeTable;
  devices: DeviceTable;
  host_instances: HostInstanceTable;
  sessions: SessionTable;
  save_outcomes: SaveOutcomeTable;
  once_tokens: OnceTokenTable;
  unsettled: UnsettledTable;
  unsettled_sums: UnsettledSumTable;
  unsettled_of_players: UnsettledOfPlayerTable;
  late_saves: LateSaveTable;
  credited: CreditedTable;
  written_by_players: WrittenByPlayerTable;
  boards: BoardTable;
  seasons: SeasonTable;
  standings: StandingTable;
  set_aside: SetAsideTable;
  barred: BarredTable;
  doubtful: DoubtfulTable;
  rewards: RewardTable;
  editions: EditionTable;
  drafts: DraftTable;
  draft_changes: DraftChangeTable;
  testers: TesterTable;
  trial_players: TrialPlayerTable;
  tunables_asked: TunableAskedTable;
  gifts: GiftTable;
  gift_players: GiftPlayerTable;
  activity: ActivityTable;
  tombstones: TombstoneTable;
  accounts: AccountTable;
  account_links: AccountLinkTable;
  sign_ins: SignInTable;
  refresh_tokens: RefreshTokenTable;
  signing_keys: SigningKeyTable;
  identity_providers: IdentityProviderTable;
  identities: IdentityTable;
  identity_tries: IdentityTryTable;
  found_by: FoundByTable;
  found_values: FoundValueTable;
  pruned: PrunedTable;
  probes: ProbeTable;
  commits: CommitTable;
  outside_requests: OutsideRequestTable;
}

export type EnvironmentRow = Selectable<EnvironmentTable>;
export type PlayerRow = Selectable<PlayerTable>;
/** What a save must know of its player. */
export type SavingPlayer = Pick<PlayerRow, 'number' | 'environment' | 'id' | 'seen'>;
export type SessionRow = Selectable<SessionTable>;
/** What a save must know of its session. */
export type SavingSession = Omit<
  SessionRow,
  'attempt' | 'fence' | 'is_new' | 'attributes' | 'seen_at_join' | 'seen_at_end' | 'last_saved_at'
>;
export type NewLedgerRow = Insertable<LedgerTable>;
export type HistoryRow = Selectable<HistoryTable>;
export type LedgerRow = Selectable<LedgerTable>;
export type TrashRow = Selectable<TrashTable>;
export type CheckpointRow = Selectable<CheckpointTable>;
export type DeviceRow = Selectable<DeviceTable>;
export type UnsettledRow = Selectable<UnsettledTable>;
export type LearnedRow = Selectable<LearnedTable>;
export type EditionRow = Selectable<EditionTable>;
export type AccountRow = Selectable<AccountTable>;
export type IdentityProviderRow = Selectable<IdentityProviderTable>;
export type IdentityTryRow = Selectable<IdentityTryTable>;
export type SignInRow = Selectable<SignInTable>;
export type FoundByRow = Selectable<FoundByTable>;
export type BoardRow = Selectable<BoardTable>;
export type SeasonRow = Selectable<SeasonTable>;
/** A board with its seasons that are not closed: the open one last. */
export interface KnownBoard extends BoardRow {
  readonly seasons: readonly SeasonRow[];
}
export type StandingRow = Selectable<StandingTable>;
export type GiftRow = Selectable<GiftTable>;
export type GiftPlayerRow = Selectable<GiftPlayerTable>;
export type DoubtfulRow = Selectable<DoubtfulTable>;
export type NewTrashRow = Insertable<TrashTable>;
