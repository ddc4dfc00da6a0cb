import { decideIdentityCode } from '@vekkon/core/accounts';
import { Refusal } from '@vekkon/protocol/problems';
import type { IdentityTryRow } from '../../tables.js';
import type { Stamp, WriterContext } from '../context.js';
import { note } from './activity.js';

export interface SetIdentityProvider {
  readonly environment: number;
  readonly name: string;
  readonly title: string;
  readonly issuer: string;
  readonly clientId: string;
  /** Null where there is none; left out to leave it as it is. */
  readonly clientSecret?: string | null | undefined;
  readonly by: string;
}

/** How many identity providers an environment has at most. */
const mostProviders = 12;

/** Players of an environment may sign in with an identity provider from now on, or something about it is another. */
export async function setIdentityProvider(context: WriterContext, set: SetIdentityProvider & Stamp): Promise<null> {
  const { db } = context;
  const { environment, name, title, issuer, clientId, clientSecret, by, now } = set;
  const all = await db.selectFrom('identity_providers').selectAll().where('environment', '=', environment).execute();
  const known = all.find((one) => one.name === name);
  if (known === undefined && all.length >= mostProviders) {
    throw new Refusal(
      'request-invalid',
      `There are ${mostProviders} identity providers here already: remove one first.`,
    );
  }
  const about = {
    title,
    issuer,
    client_id: clientId,
    ...(clientSecret !== undefined && { client_secret: clientSecret }),
  };
  if (known === undefined) {
    const row = { environment, name, client_secret: null, ...about, created_at: now };
    await db.insertInto('identity_providers').values(row).execute();
  } else {
    await db.updateTable('identity_providers').set(about).where('number', '=', known.number).execute();
  }
  await note(context, {
    environment,
    what: 'identity-provider-set',
    by,
    player: null,
    detail: `${name}: ${issuer}`,
    now,
  });
  return null;
}

/** Nobody signs in with it any more; who was known by it is again once it is back. */
export async function removeIdentityProvider(
  context: WriterContext,
  { environment, name, by, now }: { readonly environment: number; readonly name: string; readonly by: string } & Stamp,
): Promise<null> {
  const { numDeletedRows } = await context.db
    .deleteFrom('identity_providers')
    .where('environment', '=', environment)
    .where('name', '=', name)
    .executeTakeFirst();
  if (numDeletedRows === 0n) throw new Refusal('identity-provider-unknown');
  await note(context, { environment, what: 'identity-provider-removed', by, player: null, detail: name, now });
  return null;
}

export type BeginIdentityTry = Pick<
  IdentityTryRow,
  | 'hash'
  | 'environment'
  | 'device'
  | 'purpose'
  | 'provider'
  | 'issuer'
  | 'state_hash'
  | 'nonce'
  | 'verifier'
  | 'return_to'
> & { readonly expires_at: number };

/** A device sends its player to an identity provider: what it had begun before is over. */
export async function beginIdentityTry({ db }: WriterContext, begin: BeginIdentityTry & Stamp): Promise<null> {
  const { now, monotonic: _, agesBy: __, ...about } = begin;
  await db.deleteFrom('identity_tries').where('device', '=', about.device).execute();
  const later = { returned_at: null, code_hash: null, subject: null, email: null, wrong_codes: 0, used_at: null };
  await db
    .insertInto('identity_tries')
    .values({ ...about, created_at: now, ...later })
    .execute();
  return null;
}

/** A browser has come back from an identity provider: it may once, and in time. @returns what was begun */
export async function claimIdentityTry(
  { db }: WriterContext,
  { stateHash, now }: { readonly stateHash: string } & Stamp,
): Promise<IdentityTryRow> {
  const begun = await db
    .selectFrom('identity_tries')
    .selectAll()
    .where('state_hash', '=', stateHash)
    .executeTakeFirst();
  if (begun === undefined || begun.returned_at !== null || begun.expires_at <= now) throw new Refusal('link-over');
  await db.updateTable('identity_tries').set({ returned_at: now }).where('hash', '=', begun.hash).execute();
  return begun;
}

/** The identity provider has said who it is: whoever shows the code as well is them. */
export async function answerIdentityTry(
  { db }: WriterContext,
  {
    hash,
    codeHash,
    subject,
    email,
  }: {
    readonly hash: string;
    readonly codeHash: string;
    readonly subject: string;
    readonly email: string | null;
  } & Stamp,
): Promise<null> {
  await db
    .updateTable('identity_tries')
    .set({ code_hash: codeHash, subject, email })
    .where('hash', '=', hash)
    .execute();
  return null;
}

/** What was found out about whoever has come back. */
export interface ProvenIdentity {
  readonly purpose: 'sign-in' | 'link';
  readonly provider: string;
  readonly issuer: string;
  readonly subject: string;
  readonly email: string | null;
}

/** Checks what a device and the browser bring together. A wrong code counts: after a few, what was begun is over. */
export async function checkIdentityCode(
  { db }: WriterContext,
  {
    hash,
    environment,
    device,
    codeHash,
    now,
  }: {
    readonly hash: string;
    readonly environment: number;
    readonly device: string;
    readonly codeHash: string;
  } & Stamp,
): Promise<ProvenIdentity | Refusal> {
  const begun = await db.selectFrom('identity_tries').selectAll().where('hash', '=', hash).executeTakeFirst();
  if (begun === undefined || begun.environment !== environment || begun.device !== device)
    throw new Refusal('link-over');
  const { purpose, provider, issuer, subject, email, code_hash, wrong_codes: wrongCodes } = begun;
  const about = { codeHash: code_hash, wrongCodes, expiresAt: begun.expires_at, usedAt: begun.used_at };
  const decision = decideIdentityCode(about, codeHash, now);
  if (decision === 'right' && subject !== null) return { purpose, provider, issuer, subject, email };
  if (decision === 'wrong') {
    const counted = { wrong_codes: wrongCodes + 1 };
    await db.updateTable('identity_tries').set(counted).where('hash', '=', hash).execute();
    return new Refusal('identity-code-wrong');
  }
  return new Refusal('link-over', 'This sign-in is over, or was not finished in the browser: begin it again.');
}

/** It is good once. */
export async function endIdentityTry({ db }: WriterContext, hash: string, now: number): Promise<void> {
  const { numUpdatedRows } = await db
    .updateTable('identity_tries')
    .set({ used_at: now })
    .where('hash', '=', hash)
    .where('used_at', 'is', null)
    .executeTakeFirst();
  if (numUpdatedRows === 0n) throw new Refusal('link-over');
}

/** An identity is shown, with what proves it. */
export async function useIdentity(
  context: WriterContext,
  {
    environment,
    issuer,
    subject,
    identityTry,
  }: {
    readonly environment: number;
    readonly issuer: string;
    readonly subject: string;
    readonly identityTry: string;
  },
  now: number,
): Promise<void> {
  await endIdentityTry(context, identityTry, now);
  await context.db
    .updateTable('identities')
    .set({ used_at: now })
    .where('environment', '=', environment)
    .where('issuer', '=', issuer)
    .where('subject', '=', subject)
    .execute();
}

export interface NewIdentity extends Omit<ProvenIdentity, 'purpose'> {
  readonly account: number;
  readonly environment: number;
}

/** From now on an account is known by an identity too. @throws Refusal `identity-taken` */
export async function addIdentity({ db }: WriterContext, add: NewIdentity, now: number): Promise<void> {
  const { environment, issuer, subject, account, provider, email } = add;
  const others = await db
    .selectFrom('identities')
    .select(['account', 'issuer', 'subject'])
    .where('environment', '=', environment)
    .where((where) =>
      where.or([
        where.and([where('issuer', '=', issuer), where('subject', '=', subject)]),
        where.and([where('account', '=', account), where('provider', '=', provider)]),
      ]),
    )
    .execute();
  if (others.some((one) => one.account !== account)) throw new Refusal('identity-taken');
  if (others.some((one) => one.issuer === issuer && one.subject === subject)) return;
  if (others.length > 0) {
    throw new Refusal('identity-taken', 'This account is linked to somebody else there: take that off first.');
  }
  await db
    .insertInto('identities')
    .values({ environment, issuer, subject, account, provider, email, created_at: now, used_at: now })
    .execute();
}

/** Links an identity to the account of whoever plays. */
export async function linkIdentity(
  context: WriterContext,
  {
    identityTry,
    player,
    now,
    ...identity
  }: NewIdentity & { readonly identityTry: string; readonly player: string } & Stamp,
): Promise<null> {
  const { environment, provider } = identity;
  await addIdentity(context, identity, now);
  await endIdentityTry(context, identityTry, now);
  await note(context, { environment, what: 'identity-linked', by: player, player, detail: provider, now });
  return null;
}

/** Takes an identity off an account, unless nobody could sign in to it any more. */
export async function unlinkIdentity(
  context: WriterContext,
  {
    account: number,
    provider,
    player,
    now,
  }: { readonly account: number; readonly provider: string; readonly player: string } & Stamp,
): Promise<null> {
  const { db } = context;
  const rows = await db.selectFrom('identities').selectAll().where('account', '=', number).execute();
  const one = rows.find((row) => row.provider === provider);
  if (one === undefined) throw new Refusal('identity-unknown');
  const account = await db.selectFrom('accounts').selectAll().where('number', '=', number).executeTakeFirstOrThrow();
  const hasPassword = account.password_hash !== null && account.email !== null;
  if (rows.length === 1 && !hasPassword) throw new Refusal('last-sign-in');
  await db
    .deleteFrom('identities')
    .where('environment', '=', one.environment)
    .where('issuer', '=', one.issuer)
    .where('subject', '=', one.subject)
    .execute();
  await note(context, {
    environment: one.environment,
    what: 'identity-unlinked',
    by: player,
    player,
    detail: provider,
    now,
  });
  return null;
}
