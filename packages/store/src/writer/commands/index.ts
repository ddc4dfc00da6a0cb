import type { Refusal } from '@vekkon/protocol';
import { note, probe } from './activity.js';
import { addDevice, revokeDevice, useDeviceToken } from './devices.js';
import {
  addKey,
  createEnvironment,
  noteKeyUsed,
  revokeKey,
  setDesignersPublish,
  setLimits,
  setOrigins,
} from './environments.js';
import { join } from './join.js';
import { addCredential, addFirstAdmin, addOperator, revokeCredential } from './operators.js';
import { changeOutside } from './change-outside.js';
import { erasePlayer } from './erase-player.js';
import { noteTime, prune } from './prune.js';
import { putRecord } from './put-record.js';
import { renew } from './renew.js';
import { save } from './save.js';
import { bringBack } from './bring-back.js';
import { restoreCheckpoint } from './restore-checkpoint.js';
import { copyPlayer } from './make-checkpoint.js';
import { restoreRevision, turnBack } from './turn-back.js';
import { installManifest, watchPlayers } from './install-manifest.js';
import { setLearning } from './learning.js';
import { emptyEnvironment, makeNew } from './make-new.js';
import { abandonGift, beginGift, directGift, gatherGift, giftStep } from './gifts.js';
import {
  addAccountLink,
  addSigningKey,
  disableAccount,
  endSignIns,
  joinAccount,
  makeAccount,
  openSignIn,
  refreshSignIn,
  setAccountPassword,
  signInAccount,
  useAccountLink,
} from './accounts.js';
import {
  answerIdentityTry,
  beginIdentityTry,
  checkIdentityCode,
  claimIdentityTry,
  linkIdentity,
  removeIdentityProvider,
  setIdentityProvider,
  unlinkIdentity,
} from './identities.js';
import { setFoundBy, takeInFound } from './found-by.js';
import {
  acceptInvitation,
  addServiceToken,
  changeOperator,
  invite,
  setSecondFactor,
  useSecondFactor,
} from './look-after-operators.js';
import { importPlayers } from './import-players.js';
import { drop, settle } from './unsettled.js';
import {
  acceptDoubtful,
  barPlayer,
  closeSeason,
  putBackStanding,
  readmitPlayer,
  rejectDoubtful,
  takeOffStanding,
} from './boards.js';
import { setTerms, thin } from './thin.js';
import { tendSeasons } from './tend-seasons.js';
import { noteAsked, noteTrialPlayers } from './note-tuned.js';
import { endTrial, publishDraft, putInDraft, reissueEdition, setTesters, tendWindows } from './tuning.js';

/** Every command of the writer, by name. */
export const commands = {
  join,
  save,
  renew,
  tendSeasons,
  closeSeason,
  takeOffStanding,
  putBackStanding,
  barPlayer,
  readmitPlayer,
  acceptDoubtful,
  rejectDoubtful,
  putInDraft,
  publishDraft,
  reissueEdition,
  endTrial,
  setTesters,
  tendWindows,
  noteTrialPlayers,
  noteAsked,
  settle,
  drop,
  note,
  probe,
  prune,
  thin,
  setTerms,
  setFoundBy,
  takeInFound,
  noteTime,
  erasePlayer,
  putRecord,
  changeOutside,
  bringBack,
  restoreCheckpoint,
  restoreRevision,
  turnBack,
  copyPlayer,
  importPlayers,
  abandonGift,
  beginGift,
  gatherGift,
  giftStep,
  directGift,
  installManifest,
  watchPlayers,
  setLearning,
  makeNew,
  emptyEnvironment,
  createEnvironment,
  setOrigins,
  setDesignersPublish,
  addDevice,
  useDeviceToken,
  revokeDevice,
  addAccountLink,
  addSigningKey,
  disableAccount,
  endSignIns,
  joinAccount,
  makeAccount,
  openSignIn,
  refreshSignIn,
  setAccountPassword,
  signInAccount,
  useAccountLink,
  answerIdentityTry,
  beginIdentityTry,
  checkIdentityCode,
  claimIdentityTry,
  linkIdentity,
  removeIdentityProvider,
  setIdentityProvider,
  unlinkIdentity,
  setLimits,
  addKey,
  noteKeyUsed,
  revokeKey,
  acceptInvitation,
  addServiceToken,
  changeOperator,
  invite,
  setSecondFactor,
  useSecondFactor,
  addOperator,
  addFirstAdmin,
  addCredential,
  revokeCredential,
};

type Commands = typeof commands;
export type CommandName = keyof Commands;
/** What a command takes; the writer adds when it was given. */
export type CommandInput<Name extends CommandName> = Omit<
  Parameters<Commands[Name]>[1],
  'now' | 'monotonic' | 'agesBy'
>;

/** What JSON does not carry, in a type, some levels deep. */
type Lost<T, Depth extends readonly 1[] = [1, 1, 1, 1, 1]> = T extends
  bigint | symbol | Date | ReadonlyMap<unknown, unknown> | ReadonlySet<unknown> | ArrayBufferView
  ? T
  : T extends (...args: never) => unknown
    ? T
    : Depth extends readonly [1, ...infer Less extends readonly 1[]]
      ? T extends readonly (infer One)[]
        ? Lost<One, Less>
        : T extends object
          ? { [Name in keyof T]-?: Lost<T[Name], Less> }[keyof T]
          : never
      : never;

type LostOnTheWay = { [Name in CommandName]: Lost<CommandInput<Name>> }[CommandName];

/** Commands cross to the writer as JSON: none takes what that does not carry. */
export const areCarriedWhole: [LostOnTheWay] extends [never] ? true : LostOnTheWay = true;

export type CommandOutcome<Name extends CommandName> = Exclude<Awaited<ReturnType<Commands[Name]>>, Refusal>;
