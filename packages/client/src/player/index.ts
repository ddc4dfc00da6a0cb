export {
  ChangeRefused,
  ServiceRefused,
  ServiceUnreachable,
  SessionLeaving,
  SessionOver,
  TunableUnknown,
  VekkonError,
} from '../errors.js';
export { browserStorage } from './browser-storage.js';
export type { Conflict, Decision } from './conflicts.js';
export { StorageUnreadable } from './kept-state.js';
export type { PlayerStatus, VekkonPlayerOptions } from './options.js';
export type { AccountChoice, GameAccount, SignInOptions } from './game-account.js';
export { memoryStorage, type PlayerStorage } from './storage.js';
export { VekkonPlayer } from './vekkon-player.js';
export type { CheckpointSummary, RefusedTransaction, SaveResult, TransactionResult } from '../session/stay.js';
export type { BoardView, GameBoards } from '../session/game-boards.js';
export type { AnyGame, GameShape } from '../session/game-shape.js';
