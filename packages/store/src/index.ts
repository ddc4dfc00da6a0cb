export * from './clock.js';
export * from './store.js';
export type { LongReads } from './reader/long-reads.js';
export type { Reader } from './reader/reader.js';
export type { Credential } from './reader/access.js';
export type { ManifestDiff } from './reader/manifests.js';
export { exportParts, type ExportCursor, type ExportedRows } from './reader/export.js';
export type { ListedPlayer, PlayerFilters, PlayerOrder, PlayerPage } from './reader/players.js';
export type { PlayerReads } from './reader/player.js';
export type { Writer } from './writer/writer.js';
export type { BoardReads, LiveSeason } from './reader/boards.js';
export type { ResultTaken } from './writer/standings-in-work.js';
export type {
  AccountRow,
  IdentityProviderRow,
  IdentityTryRow,
  BoardRow,
  DoubtfulRow,
  EditionRow,
  EnvironmentRow,
  FoundByRow,
  GiftPlayerRow,
  GiftRow,
  SeasonRow,
  LedgerRow,
  PlayerRow,
  SessionRow,
  TrashRow,
} from './tables.js';
export type { GiftLook } from './reader/gifts.js';
export { takenBackWithin } from './writer/commands/gifts.js';
export type { ImportLine, ImportOutcome } from './transfer.js';
export { termsIn } from './reader/outdated.js';
export { contentOf, type TuningState } from './tuning.js';
export type { InstalledManifest } from './manifests.js';
export type { FeedEvent, PlayerChanged, SessionEnded } from './feed.js';
export type { Held, Joined } from './writer/commands/join.js';
export { digestOfSave } from './save-digest.js';
export type { Saved, SaveOutcome } from './writer/commands/save.js';
export type { Asked, InTrial } from './writer/commands/note-tuned.js';
export { pruneSteps, trashLasts } from './writer/commands/prune.js';
export { verifyStore, type Fault, type Verified } from './verify.js';
export { recordsIn } from './writer/checkpoints-in-work.js';
export type { UnsettledFilters, UnsettledOfPlayer } from './reader/unsettled.js';
export { makeFolder } from './engines/sqlite/make-folder.js';
export { recordsByKey } from './records-by-key.js';
export { SpareThread } from './spare-thread.js';
