import type { OperatorRole } from '@vekkon/protocol';
import { Refusal } from '@vekkon/protocol/problems';
import type { Stamp, WriterContext } from '../context.js';

export interface AddOperator {
  readonly email: string;
  readonly name: string;
  readonly role: OperatorRole;
  readonly passwordHash: string;
}

/** Makes an operator. */
export async function addOperator(
  { db }: WriterContext,
  add: AddOperator & Stamp,
): Promise<{ readonly number: number }> {
  return db
    .insertInto('operators')
    .values({
      email: add.email.toLowerCase(),
      name: add.name,
      role: add.role,
      password_hash: add.passwordHash,
      created_at: add.now,
    })
    .returning('number')
    .executeTakeFirstOrThrow();
}

/** Makes the first admin, once, with the link that the first start printed. */
export async function addFirstAdmin(
  context: WriterContext,
  add: Omit<AddOperator, 'role'> & { readonly invitationHash: string } & Stamp,
): Promise<{ readonly number: number }> {
  const used = await context.db
    .updateTable('credentials')
    .set({ revoked_at: add.now })
    .where('hash', '=', add.invitationHash)
    .where('sort', '=', 'first-admin')
    .where('revoked_at', 'is', null)
    .where('expires_at', '>', add.now)
    .executeTakeFirst();
  if (used.numUpdatedRows !== 1n) throw await invitationInvalid(context, add.invitationHash);
  return addOperator(context, { ...add, role: 'admin' });
}

/** Why a link for the first admin is not taken. */
async function invitationInvalid({ db }: WriterContext, hash: string): Promise<Refusal> {
  const known = await db
    .selectFrom('credentials')
    .select(['expires_at', 'revoked_at'])
    .where('hash', '=', hash)
    .where('sort', '=', 'first-admin')
    .executeTakeFirst();
  const admin = await db.selectFrom('operators').select('number').executeTakeFirst();
  if (admin !== undefined) {
    return new Refusal('invitation-invalid', 'A link works once, and there is an admin already: sign in instead.');
  }
  if (known === undefined) {
    return new Refusal('invitation-invalid', 'This link is not known here: was it copied whole, from this service?');
  }
  const why =
    known.revoked_at === null ? 'This link is over: it works for an hour.' : 'A later start made a newer link.';
  return new Refusal('invitation-invalid', `${why} Restart the service for a new one, and open that.`);
}

export interface AddCredential {
  readonly hash: string;
  readonly sort: 'operator' | 'first-admin';
  readonly operator: number | null;
  /** What it was made by, such as a browser, and where. */
  readonly name?: string | null;
  readonly from?: string | null;
  /** Milliseconds since 1970, UTC. */
  readonly expiresAt: number;
}

/** Keeps the hash of a token that was handed out. A new link for the first admin ends the older ones. */
export async function addCredential({ db }: WriterContext, add: AddCredential & Stamp): Promise<null> {
  if (add.sort === 'first-admin') {
    await db
      .updateTable('credentials')
      .set({ revoked_at: add.now })
      .where('sort', '=', 'first-admin')
      .where('revoked_at', 'is', null)
      .execute();
  }
  await db
    .insertInto('credentials')
    .values({
      hash: add.hash,
      hint: null,
      sort: add.sort,
      environment: null,
      operator: add.operator,
      created_at: add.now,
      expires_at: add.expiresAt,
      revoked_at: null,
      name: add.name ?? null,
      last_used_from: add.from ?? null,
    })
    .execute();
  return null;
}

/** A token is over from now on. */
export async function revokeCredential(
  { db, feed }: WriterContext,
  { hash, now }: { readonly hash: string } & Stamp,
): Promise<null> {
  await db.updateTable('credentials').set({ revoked_at: now }).where('hash', '=', hash).execute();
  feed.tell({ what: 'credential-over', hash });
  return null;
}
