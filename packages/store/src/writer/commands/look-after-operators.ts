import type { OperatorRole } from '@vekkon/protocol';
import { Refusal } from '@vekkon/protocol/problems';
import type { Stamp, WriterContext } from '../context.js';
import { note } from './activity.js';

/** A role for one environment, by its number. */
export type RoleIn = readonly [environment: number, role: OperatorRole];

export interface Invite {
  readonly hash: string;
  readonly email: string;
  readonly role: OperatorRole;
  readonly roles: readonly RoleIn[];
  readonly expiresAt: number;
  readonly by: string;
}

/** Somebody is invited: an earlier link for the same address is over. */
export async function invite(
  context: WriterContext,
  { hash, email, role, roles, expiresAt, by, now }: Invite & Stamp,
): Promise<null> {
  const { db } = context;
  const folded = email.toLowerCase();
  const known = await db.selectFrom('operators').select('number').where('email', '=', folded).executeTakeFirst();
  if (known !== undefined) throw new Refusal('operator-exists');
  await db
    .updateTable('invitations')
    .set({ used_at: now })
    .where('email', '=', folded)
    .where('used_at', 'is', null)
    .execute();
  const row = { hash, email: folded, role, roles: JSON.stringify(roles), by, created_at: now };
  await db
    .insertInto('invitations')
    .values({ ...row, expires_at: expiresAt, used_at: null })
    .execute();
  await note(context, {
    environment: null,
    what: 'operator-invited',
    by,
    player: null,
    detail: `${folded}: ${role}`,
    now,
  });
  return null;
}

/** Whoever has the link becomes an operator, once. */
export async function acceptInvitation(
  context: WriterContext,
  {
    hash,
    name,
    passwordHash,
    now,
  }: { readonly hash: string; readonly name: string; readonly passwordHash: string } & Stamp,
): Promise<{ readonly number: number; readonly email: string; readonly role: OperatorRole }> {
  const { db } = context;
  const found = await db.selectFrom('invitations').selectAll().where('hash', '=', hash).executeTakeFirst();
  if (found === undefined || found.used_at !== null || found.expires_at <= now) {
    throw new Refusal('invitation-invalid', 'This link works once, for a week: ask whoever invited you for another.');
  }
  const { email, role, roles, by } = found;
  await db.updateTable('invitations').set({ used_at: now }).where('hash', '=', hash).execute();
  const { number } = await db
    .insertInto('operators')
    .values({ email, name, role, password_hash: passwordHash, created_at: now })
    .returning('number')
    .executeTakeFirstOrThrow();
  await setRoles(context, number, JSON.parse(roles) as RoleIn[]);
  const detail = `${name}, invited by ${by}`;
  await note(context, { environment: null, what: 'operator-joined', by: email, player: null, detail, now });
  return { number, email, role };
}

export interface ChangeOperator {
  readonly email: string;
  readonly role?: OperatorRole | undefined;
  /** All that are wanted, in place of those before. */
  readonly roles?: readonly RoleIn[] | undefined;
  readonly isDisabled?: boolean | undefined;
  readonly by: string;
}

/** Another role, or shut out. There is always an admin left. */
export async function changeOperator(
  context: WriterContext,
  { email, role, roles, isDisabled, by, now }: ChangeOperator & Stamp,
): Promise<null> {
  const { db, feed } = context;
  const operator = await db
    .selectFrom('operators')
    .selectAll()
    .where('email', '=', email.toLowerCase())
    .executeTakeFirst();
  if (operator === undefined) throw new Refusal('operator-unknown');
  const { number } = operator;
  const isAdmin = (role ?? operator.role) === 'admin' && !(isDisabled ?? operator.disabled_at !== null);
  if (!isAdmin) {
    const other = await db
      .selectFrom('operators')
      .select('number')
      .where('role', '=', 'admin')
      .where('disabled_at', 'is', null)
      .where('number', '!=', number)
      .executeTakeFirst();
    if (other === undefined) throw new Refusal('last-admin');
  }
  const disabled = isDisabled === undefined ? operator.disabled_at : isDisabled ? now : null;
  await db
    .updateTable('operators')
    .set({ role: role ?? operator.role, disabled_at: disabled })
    .where('number', '=', number)
    .execute();
  if (roles !== undefined) await setRoles(context, number, roles);
  // What is held of their sign-ins is out of date: it is looked up again.
  const tokens = await db
    .selectFrom('credentials')
    .select('hash')
    .where('operator', '=', number)
    .where('revoked_at', 'is', null)
    .execute();
  if (isDisabled === true) {
    await db
      .updateTable('credentials')
      .set({ revoked_at: now })
      .where('operator', '=', number)
      .where('revoked_at', 'is', null)
      .execute();
  }
  for (const { hash } of tokens) feed.tell({ what: 'credential-over', hash });
  const parts = [
    ...(role === undefined ? [] : [`role ${operator.role} → ${role}`]),
    ...(roles === undefined ? [] : ['roles of environments']),
    ...(isDisabled === undefined ? [] : [isDisabled ? 'shut out' : 'let in again']),
  ];
  const detail = `${operator.email}: ${parts.join(', ')}`;
  await note(context, { environment: null, what: 'operator-changed', by, player: null, detail, now });
  return null;
}

async function setRoles({ db }: WriterContext, operator: number, roles: readonly RoleIn[]): Promise<void> {
  await db.deleteFrom('operator_roles').where('operator', '=', operator).execute();
  for (const [environment, role] of roles) {
    await db.insertInto('operator_roles').values({ operator, environment, role }).execute();
  }
}

/** A second factor is set, or taken away. */
export async function setSecondFactor(
  context: WriterContext,
  {
    operator,
    secret,
    recovery,
    now,
  }: { readonly operator: number; readonly secret: string | null; readonly recovery: readonly string[] } & Stamp,
): Promise<null> {
  const { db } = context;
  await db
    .updateTable('operators')
    .set({ totp_secret: secret, totp_step: null, recovery: secret === null ? null : JSON.stringify(recovery) })
    .where('number', '=', operator)
    .execute();
  const { email: by } = await db
    .selectFrom('operators')
    .select('email')
    .where('number', '=', operator)
    .executeTakeFirstOrThrow();
  const what = secret === null ? 'second-factor-removed' : 'second-factor-set';
  await note(context, { environment: null, what, by, player: null, detail: '', now });
  return null;
}

/** A code was used: it is good once. @returns was it still good? */
export async function useSecondFactor(
  { db }: WriterContext,
  {
    operator,
    step,
    recovery,
  }: { readonly operator: number; readonly step: number | null; readonly recovery: string | null } & Stamp,
): Promise<{ readonly isGood: boolean }> {
  const { totp_step: before, recovery: kept } = await db
    .selectFrom('operators')
    .select(['totp_step', 'recovery'])
    .where('number', '=', operator)
    .executeTakeFirstOrThrow();
  if (step !== null) {
    if (before !== null && step <= before) return { isGood: false };
    await db.updateTable('operators').set({ totp_step: step }).where('number', '=', operator).execute();
    return { isGood: true };
  }
  const codes = kept === null ? [] : (JSON.parse(kept) as string[]);
  if (recovery === null || !codes.includes(recovery)) return { isGood: false };
  const left = JSON.stringify(codes.filter((one) => one !== recovery));
  await db.updateTable('operators').set({ recovery: left }).where('number', '=', operator).execute();
  return { isGood: true };
}

export interface AddServiceToken {
  readonly name: string;
  readonly role: OperatorRole;
  readonly hash: string;
  readonly expiresAt: number;
  readonly by: string;
}

/** A token for a program, such as one that publishes from a build: an operator without a password. */
export async function addServiceToken(
  context: WriterContext,
  { name, role, hash, expiresAt, by, now }: AddServiceToken & Stamp,
): Promise<{ readonly email: string }> {
  const { db } = context;
  const email = `${name}@service`;
  const known = await db.selectFrom('operators').selectAll().where('email', '=', email).executeTakeFirst();
  const row = { email, name, role, password_hash: '-', created_at: now };
  const number =
    known?.number ??
    (await db.insertInto('operators').values(row).returning('number').executeTakeFirstOrThrow()).number;
  if (known !== undefined) {
    await db.updateTable('operators').set({ role, disabled_at: null }).where('number', '=', number).execute();
  }
  const token = { hash, hint: null, sort: 'operator', environment: null, operator: number, name } as const;
  await db
    .insertInto('credentials')
    .values({ ...token, created_at: now, expires_at: expiresAt, revoked_at: null })
    .execute();
  await note(context, {
    environment: null,
    what: 'service-token-made',
    by,
    player: null,
    detail: `${email}: ${role}`,
    now,
  });
  return { email };
}
