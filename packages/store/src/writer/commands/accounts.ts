import { imported, isProblem } from '@vekkon/core';
import { decideRefresh, together, type Choice } from '@vekkon/core/accounts';
import { Refusal } from '@vekkon/protocol/problems';
import { rfc3339 } from '../../clock.js';
import type { AccountRow } from '../../tables.js';
import { environmentOf, type Stamp, type WriterContext } from '../context.js';
import { tellOutside } from '../outside.js';
import { RecordsInWork } from '../records-in-work.js';
import { findPlayer, openSessionOf } from '../sessions.js';
import { note } from './activity.js';
import { addIdentity, endIdentityTry, useIdentity, type ProvenIdentity } from './identities.js';
import { copyAll, makeOneNew } from './make-new.js';

/** A stay of an account on a device, as it begins. */
export interface NewSignIn {
  readonly id: string;
  readonly refreshHash: string;
  /** When the refresh token is over, in milliseconds since 1970. */
  readonly expiresAt: number;
  readonly address: string;
}

export interface NewLink {
  readonly hash: string;
  readonly sort: 'confirm' | 'reset';
  readonly email: string;
  readonly expiresAt: number;
}

/** On how many devices one account is signed in: beyond that the one that was used last ends. */
const mostSignIns = 20;

export interface MakeAccount {
  readonly environment: number;
  /** The device that asks, and becomes one of the account. */
  readonly device: string;
  /** Null where an identity provider does not say it. */
  readonly email: string | null;
  /** Null where they sign in with an identity provider only. */
  readonly passwordHash: string | null;
  readonly signIn: NewSignIn;
  /** What is mailed to the address. */
  readonly link: NewLink | null;
  /** Who they are with an identity provider, and what proves it. */
  readonly identity?: (Omit<ProvenIdentity, 'purpose'> & { readonly identityTry: string }) | undefined;
}

/** A device's player gets an account, and keeps all they have. */
export async function makeAccount(
  context: WriterContext,
  make: MakeAccount & Stamp,
): Promise<{ readonly player: string; readonly isTaken: boolean }> {
  const { db } = context;
  const { environment, email, passwordHash, signIn, link, identity, now } = make;
  const device = await db
    .selectFrom('devices')
    .innerJoin('players', 'players.number', 'devices.player')
    .select(['devices.number', 'devices.player', 'players.id as player_id'])
    .where('devices.id', '=', make.device)
    .where('devices.revoked_at', 'is', null)
    .executeTakeFirst();
  if (device === undefined) throw new Refusal('device-unknown');
  const known = await db.selectFrom('accounts').select('number').where('player', '=', device.player).executeTakeFirst();
  if (known !== undefined) throw new Refusal('account-exists');
  const folded = email?.toLowerCase() ?? '';
  const isTaken = email !== null && (await isConfirmedElsewhere(context, environment, folded, 0));
  // What an identity provider has confirmed needs no mail, unless it is somebody's here already.
  const isConfirmed = identity !== undefined && email !== null && !isTaken;
  const { number: account } = await db
    .insertInto('accounts')
    .values({
      environment,
      player: device.player,
      email: identity !== undefined && isTaken ? null : email,
      folded_email: identity !== undefined && isTaken ? '' : folded,
      confirmed_at: isConfirmed ? now : null,
      password_hash: passwordHash,
      created_at: now,
      disabled_at: null,
    })
    .returning('number')
    .executeTakeFirstOrThrow();
  await addSignIn(context, account, device.number, signIn, now);
  if (link !== null) await addLink(context, account, link, now);
  if (identity !== undefined) {
    await addIdentity(context, { ...identity, account, environment }, now);
    await endIdentityTry(context, identity.identityTry, now);
  }
  await note(context, {
    environment,
    what: 'account-made',
    by: make.device,
    player: device.player_id,
    detail: identity === undefined ? '' : `with ${identity.provider}`,
    now,
  });
  return { player: device.player_id, isTaken };
}

/**
 * An access token of a sign-in is shown for the first time: its answer has
 * arrived, and what the device was known by before opens the player no more.
 */
export async function openSignIn(
  { db, feed }: WriterContext,
  { signIn: id, nobodysSecret, now }: { readonly signIn: string; readonly nobodysSecret: string } & Stamp,
): Promise<null> {
  const signIn = await db
    .selectFrom('sign_ins')
    .innerJoin('devices', 'devices.number', 'sign_ins.device')
    .select(['devices.number', 'devices.id as device', 'opened_at'])
    .where('sign_ins.id', '=', id)
    .executeTakeFirst();
  if (signIn === undefined || signIn.opened_at !== null) return null;
  await db.updateTable('sign_ins').set({ opened_at: now }).where('id', '=', id).execute();
  // The hash of a secret that nobody has.
  await db.updateTable('devices').set({ secret_hash: nobodysSecret }).where('number', '=', signIn.number).execute();
  const { numUpdatedRows } = await db
    .updateTable('credentials')
    .set({ revoked_at: now })
    .where('device', '=', signIn.number)
    .where('revoked_at', 'is', null)
    .executeTakeFirst();
  if (numUpdatedRows > 0n) feed.tell({ what: 'device-over', device: signIn.device, but: null });
  return null;
}

export interface SignInAccount {
  readonly account: number;
  /** The id of the device that it makes, and what people call it. */
  readonly device: string;
  readonly name: string | null;
  readonly signIn: NewSignIn;
  readonly nobodysSecret: string;
  /** The device that asks. */
  readonly from: string;
  /** What an identity provider has said of them. */
  readonly identity?: { readonly issuer: string; readonly subject: string; readonly identityTry: string } | undefined;
}

/** Somebody who knew the password is signed in, on a device of its own. */
export async function signInAccount(
  context: WriterContext,
  { account: number, device: id, name, signIn, nobodysSecret, from, identity, now }: SignInAccount & Stamp,
): Promise<{ readonly player: string }> {
  const { db } = context;
  const account = await accountNumbered(context, number);
  if (account.disabled_at !== null) throw new Refusal('account-disabled');
  const { environment, player } = account;
  if (identity !== undefined) await useIdentity(context, { ...identity, environment }, now);
  const asking = await db.selectFrom('devices').select('made_with').where('id', '=', from).executeTakeFirst();
  const made_with = asking?.made_with ?? null;
  const { number: device } = await db
    .insertInto('devices')
    .values({ id, environment, player, secret_hash: nobodysSecret, name, made_with, created_at: now, revoked_at: null })
    .returning('number')
    .executeTakeFirstOrThrow();
  await addSignIn(context, number, device, signIn, now);
  const surplus = await db
    .selectFrom('sign_ins')
    .select('id')
    .where('account', '=', number)
    .where('ended_at', 'is', null)
    .orderBy('used_at', 'desc')
    .offset(mostSignIns)
    .limit(100)
    .execute();
  for (const one of surplus) await endSignIn(context, one.id, now);
  const { id: playerId } = await playerNumbered(context, player);
  return { player: playerId };
}

/** A refresh token is shown: another takes its place, or its sign-in ends. */
export async function refreshSignIn(
  context: WriterContext,
  {
    environment,
    hash,
    next,
    expiresAt,
    address,
    now,
  }: {
    readonly environment: number;
    readonly hash: string;
    /** The hash of the token that is given for it. */
    readonly next: string;
    readonly expiresAt: number;
    readonly address: string;
  } & Stamp,
): Promise<{ readonly signIn: string; readonly player: string; readonly device: string } | Refusal> {
  const { db } = context;
  const shown = await db
    .selectFrom('refresh_tokens')
    .innerJoin('sign_ins', 'sign_ins.id', 'refresh_tokens.sign_in')
    .innerJoin('accounts', 'accounts.number', 'sign_ins.account')
    .innerJoin('players', 'players.number', 'accounts.player')
    .innerJoin('devices', 'devices.number', 'sign_ins.device')
    .leftJoin('refresh_tokens as after', 'after.hash', 'refresh_tokens.next')
    .select(['refresh_tokens.sign_in', 'refresh_tokens.expires_at', 'refresh_tokens.used_at', 'refresh_tokens.next'])
    .select(['after.used_at as next_used_at', 'sign_ins.ended_at', 'players.id as player', 'devices.id as device'])
    .where('refresh_tokens.hash', '=', hash)
    .where('accounts.environment', '=', environment)
    .executeTakeFirst();
  if (shown === undefined) throw new Refusal('sign-in-over', 'This refresh token is not known here: sign in again.');
  const { sign_in: signIn, player, device } = shown;
  const decision = decideRefresh(
    {
      expiresAt: shown.expires_at,
      usedAt: shown.used_at,
      // Of one that another took the place of, none was given: shown all the same, its answer was not lost.
      isNextUsed: shown.next === null || shown.next_used_at !== null,
      endedAt: shown.ended_at,
    },
    now,
  );
  if (decision === 'over') throw new Refusal('sign-in-over');
  if (decision === 'reused') {
    await endSignIn(context, signIn, now);
    const detail = 'a refresh token was shown twice: the sign-in has ended';
    await note(context, { environment, what: 'refresh-token-reused', by: device, player, detail, now });
    return new Refusal('sign-in-over', 'This refresh token was used before: the sign-in has ended, sign in again.');
  }
  if (shown.next !== null) {
    await db.updateTable('refresh_tokens').set({ used_at: now }).where('hash', '=', shown.next).execute();
  }
  await db
    .updateTable('refresh_tokens')
    .set({ used_at: shown.used_at ?? now, next })
    .where('hash', '=', hash)
    .execute();
  const row = { hash: next, sign_in: signIn, created_at: now, expires_at: expiresAt, used_at: null, next: null };
  await db.insertInto('refresh_tokens').values(row).execute();
  await db.updateTable('sign_ins').set({ used_at: now, address }).where('id', '=', signIn).execute();
  return { signIn, player, device };
}

/** Which of an account's sign-ins: one, or all but one. */
export interface EndSignIns {
  readonly account: number;
  readonly only?: string | undefined;
  readonly but?: string | undefined;
}

/** Signs out: here, or wherever else. @returns how many ended */
export async function endSignIns(
  context: WriterContext,
  { account, only, but, now }: EndSignIns & Stamp,
): Promise<{ readonly ended: number }> {
  let open = context.db
    .selectFrom('sign_ins')
    .select('id')
    .where('account', '=', account)
    .where('ended_at', 'is', null);
  if (only !== undefined) open = open.where('id', '=', only);
  if (but !== undefined) open = open.where('id', '!=', but);
  const rows = await open.execute();
  for (const { id } of rows) await endSignIn(context, id, now);
  return { ended: rows.length };
}

/** A new password: every other sign-in ends, and so do the links that were mailed. */
export async function setAccountPassword(
  context: WriterContext,
  {
    account: number,
    passwordHash,
    but,
    now,
    ...rest
  }: { readonly account: number; readonly passwordHash: string; readonly but: string | undefined } & Stamp,
): Promise<null> {
  const { db } = context;
  const account = await accountNumbered(context, number);
  await db.updateTable('accounts').set({ password_hash: passwordHash }).where('number', '=', number).execute();
  await endSignIns(context, { account: number, but, now, ...rest });
  await noteOf(context, account, 'password-changed', '', now);
  return null;
}

/** A link is mailed: earlier ones of its sort are over. */
export async function addAccountLink(
  context: WriterContext,
  { account, link, now }: { readonly account: number; readonly link: NewLink } & Stamp,
): Promise<null> {
  await addLink(context, account, link, now);
  return null;
}

/** Somebody opened a link that was mailed: it is good once. With a reset the password is another, and everybody is signed out. */
export async function useAccountLink(
  context: WriterContext,
  {
    hash,
    sort,
    passwordHash,
    now,
    ...rest
  }: { readonly hash: string; readonly sort: NewLink['sort']; readonly passwordHash: string | null } & Stamp,
): Promise<{ readonly environment: number; readonly email: string }> {
  const { db } = context;
  const link = await db
    .selectFrom('account_links')
    .selectAll()
    .where('hash', '=', hash)
    .where('sort', '=', sort)
    .executeTakeFirst();
  if (link === undefined || link.used_at !== null || link.expires_at <= now) throw new Refusal('link-over');
  const account = await accountNumbered(context, link.account);
  const folded = link.email.toLowerCase();
  if (await isConfirmedElsewhere(context, account.environment, folded, account.number)) throw new Refusal('link-over');
  await db.updateTable('account_links').set({ used_at: now }).where('hash', '=', hash).execute();
  // Whoever reads the mail has the address.
  await db
    .updateTable('accounts')
    .set({ email: link.email, folded_email: folded, confirmed_at: now })
    .where('number', '=', account.number)
    .execute();
  if (sort === 'confirm') await noteOf(context, account, 'email-confirmed', '', now);
  if (passwordHash !== null) {
    await setAccountPassword(context, { account: account.number, passwordHash, but: undefined, now, ...rest });
  }
  return { environment: account.environment, email: link.email };
}

/** An operator shuts an account out, or lets it in again. */
export async function disableAccount(
  context: WriterContext,
  {
    account: number,
    isDisabled,
    by,
    now,
    ...rest
  }: { readonly account: number; readonly isDisabled: boolean; readonly by: string } & Stamp,
): Promise<null> {
  const account = await accountNumbered(context, number);
  const disabled_at = isDisabled ? (account.disabled_at ?? now) : null;
  await context.db.updateTable('accounts').set({ disabled_at }).where('number', '=', number).execute();
  if (isDisabled) await endSignIns(context, { account: number, now, ...rest });
  const { id: player } = await playerNumbered(context, account.player);
  const what = isDisabled ? 'account-disabled' : 'account-enabled';
  await note(context, { environment: account.environment, what, by, player, detail: '', now });
  return null;
}

/** A key to sign access tokens with. Those that are long over are forgotten. */
export async function addSigningKey(
  { db }: WriterContext,
  { id, key, keepSince, now }: { readonly id: string; readonly key: string; readonly keepSince: number } & Stamp,
): Promise<null> {
  await db.insertInto('signing_keys').values({ id, key, created_at: now }).execute();
  await db.deleteFrom('signing_keys').where('created_at', '<', keepSince).execute();
  return null;
}

export interface JoinAccount {
  readonly environment: number;
  /** The player of a device, and the one of the account that it becomes. */
  readonly from: string;
  readonly into: string;
  readonly choice: Choice;
}

/**
 * The player of a device becomes the player of an account who has something
 * already: they get what was chosen, and of both a checkpoint keeps all.
 */
export async function joinAccount(
  context: WriterContext,
  { environment, from: fromId, into: intoId, choice, now }: JoinAccount & Stamp,
): Promise<{ readonly changed: readonly string[] }> {
  const { rules } = await context.manifests.newestOf(await environmentOf(context, environment));
  const [from, into] = [await findPlayer(context, environment, fromId), await findPlayer(context, environment, intoId)];
  if (from === undefined || into === undefined) throw new Refusal('player-unknown');
  const held = await openSessionOf(context, from);
  if (held !== undefined) {
    throw new Refusal('player-in-session', `"${held.host}" holds the player: let them leave first, then sign in.`);
  }
  // Another device of the account may play on: it hears of what changed.
  const open = await openSessionOf(context, into);
  const [device, account] = [
    await RecordsInWork.load(context, from, rules.manifest),
    await RecordsInWork.load(context, into, rules.manifest),
  ];
  const by = 'the player';
  const about = { name: `signed in ${rfc3339(now)} ${into.seen}`, by, givenUpAt: null };
  const summary = 'What was there before a device with something else signed in.';
  await copyAll(context, into, account.records, { ...about, summary }, now);
  const values = together(account.records, device.records, choice, rules.manifest);
  const taken = imported(values, account.records, rules);
  if (isProblem(taken)) throw new Refusal(taken.problem.code, taken.problem.detail, taken.problem);
  const { changed, ledger, trash } = taken;
  account.set(changed, ledger, { session: null, by, label: `signed in: ${choice}`, at: now }, { trash });
  await account.writeFor(into, now);
  await tellOutside(context, { player: into, open, keys: changed.keys(), records: account, rules });
  // What was brought along can't be brought again; its own checkpoint keeps it.
  if (choice !== 'account') await makeOneNew(context, from, rules, by, now);
  const detail = `${fromId} became ${intoId}: ${choice}`;
  await note(context, { environment, what: 'account-joined', by, player: intoId, detail, now });
  return { changed: [...changed.keys()] };
}

/** Forgets an account with its player. */
export async function eraseAccount({ db }: WriterContext, player: number): Promise<void> {
  const account = await db.selectFrom('accounts').select('number').where('player', '=', player).executeTakeFirst();
  if (account === undefined) return;
  const { number } = account;
  const signIns = db.selectFrom('sign_ins').select('id').where('account', '=', number);
  await db.deleteFrom('refresh_tokens').where('sign_in', 'in', signIns).execute();
  await db.deleteFrom('sign_ins').where('account', '=', number).execute();
  await db.deleteFrom('account_links').where('account', '=', number).execute();
  await db.deleteFrom('identities').where('account', '=', number).execute();
  const devices = db.selectFrom('devices').select('id').where('player', '=', player);
  await db.deleteFrom('identity_tries').where('device', 'in', devices).execute();
  await db.deleteFrom('accounts').where('number', '=', number).execute();
}

async function accountNumbered({ db }: WriterContext, number: number): Promise<AccountRow> {
  const account = await db.selectFrom('accounts').selectAll().where('number', '=', number).executeTakeFirst();
  if (account === undefined) throw new Refusal('account-unknown');
  return account;
}

async function playerNumbered({ db }: WriterContext, number: number): Promise<{ readonly id: string }> {
  return db.selectFrom('players').select('id').where('number', '=', number).executeTakeFirstOrThrow();
}

async function noteOf(
  context: WriterContext,
  { environment, player }: AccountRow,
  what: string,
  detail: string,
  now: number,
): Promise<void> {
  const { id } = await playerNumbered(context, player);
  await note(context, { environment, what, by: id, player: id, detail, now });
}

async function isConfirmedElsewhere(
  { db }: WriterContext,
  environment: number,
  folded: string,
  but: number,
): Promise<boolean> {
  const other = await db
    .selectFrom('accounts')
    .select('number')
    .where('environment', '=', environment)
    .where('folded_email', '=', folded)
    .where('confirmed_at', 'is not', null)
    .where('number', '!=', but)
    .executeTakeFirst();
  return other !== undefined;
}

async function addSignIn(
  { db }: WriterContext,
  account: number,
  device: number,
  { id, refreshHash, expiresAt, address }: NewSignIn,
  now: number,
): Promise<void> {
  await db
    .insertInto('sign_ins')
    .values({ id, account, device, created_at: now, opened_at: null, used_at: now, address, ended_at: null })
    .execute();
  const row = { hash: refreshHash, sign_in: id, created_at: now, expires_at: expiresAt, used_at: null, next: null };
  await db.insertInto('refresh_tokens').values(row).execute();
}

async function addLink(
  { db }: WriterContext,
  account: number,
  { hash, sort, email, expiresAt }: NewLink,
  now: number,
): Promise<void> {
  await db
    .updateTable('account_links')
    .set({ used_at: now })
    .where('account', '=', account)
    .where('sort', '=', sort)
    .where('used_at', 'is', null)
    .execute();
  const row = { hash, account, sort, email, created_at: now, expires_at: expiresAt, used_at: null };
  await db.insertInto('account_links').values(row).execute();
}

/** The device of a sign-in is shut out with it. */
async function endSignIn({ db, feed }: WriterContext, id: string, now: number): Promise<void> {
  const signIn = await db
    .selectFrom('sign_ins')
    .innerJoin('devices', 'devices.number', 'sign_ins.device')
    .select(['devices.number', 'devices.id as device'])
    .where('sign_ins.id', '=', id)
    .executeTakeFirstOrThrow();
  await db.updateTable('sign_ins').set({ ended_at: now }).where('id', '=', id).execute();
  await db.updateTable('devices').set({ revoked_at: now }).where('number', '=', signIn.number).execute();
  feed.tell({ what: 'device-over', device: signIn.device, but: null });
}
