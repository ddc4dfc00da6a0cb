import type { Manifest } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { environmentOf, tellEnvironment, updateEnvironment, type Stamp, type WriterContext } from '../context.js';
import { declareBoards } from './tend-seasons.js';
import { note } from './activity.js';

export interface NewKey {
  readonly sort: 'host-key' | 'device-key';
  readonly hash: string;
  /** The first characters of the key, to tell it by. */
  readonly hint: string;
  /** What people call it. */
  readonly name?: string | null;
  /** What it is good for; null for everything. */
  readonly scopes?: readonly string[] | null;
  /** When it is over by itself, in milliseconds since 1970; null for never. */
  readonly expiresAt?: number | null;
}

export interface CreateEnvironment {
  readonly game: string;
  readonly name: string;
  readonly isLive: boolean;
  readonly leaseSeconds: number;
  readonly manifest: {
    readonly manifest: Manifest;
    /** The file as it was sent. */
    readonly source: string;
  } | null;
  readonly keys: readonly NewKey[];
  /** The web origins from which devices may call; null for any. */
  readonly origins: readonly string[] | null;
  readonly by: string;
}

/** Makes an environment with its first manifest and its first keys. */
export async function createEnvironment(
  context: WriterContext,
  create: CreateEnvironment & Stamp,
): Promise<{ readonly number: number }> {
  const { db } = context;
  const { game, name, manifest, now } = create;
  const taken = await db
    .selectFrom('environments')
    .select('number')
    .where('game', '=', game)
    .where('name', '=', name)
    .executeTakeFirst();
  if (taken !== undefined) {
    throw new Refusal('environment-exists', `"${game}" has an environment "${name}" already: choose another name.`);
  }
  const { number } = await db
    .insertInto('environments')
    .values({
      game,
      name,
      is_live: create.isLive ? 1 : 0,
      lease_seconds: create.leaseSeconds,
      manifest_version: manifest === null ? null : 1,
      origins: create.origins === null ? null : JSON.stringify(create.origins),
      created_at: now,
    })
    .returning('number')
    .executeTakeFirstOrThrow();
  if (manifest !== null) {
    await db
      .insertInto('manifests')
      .values({
        environment: number,
        version: 1,
        source: manifest.source,
        manifest: JSON.stringify(manifest.manifest),
        installed_at: now,
        by: create.by,
      })
      .execute();
  }
  if (manifest !== null) await declareBoards(context, number, manifest.manifest, create);
  const { monotonic, agesBy } = create;
  for (const key of create.keys) await keepKey(context, { ...key, environment: number, now, monotonic, agesBy });
  await tellEnvironment(context, number);
  return { number };
}

/** Makes a key of an environment: only its hash is kept. */
export async function addKey(
  context: WriterContext,
  add: NewKey & { readonly environment: number; readonly by: string } & Stamp,
): Promise<null> {
  const { sort, hint, environment, name = null, scopes = null, by, now } = add;
  await keepKey(context, add);
  const named = name === null ? '' : `, ${name}`;
  const detail = `${sort} ${hint}…${named}${scopes === null ? '' : `, for ${scopes.join(', ')}`}`;
  await note(context, { environment, what: 'key-made', by, player: null, detail, now });
  return null;
}

async function keepKey(
  { db }: WriterContext,
  {
    hash,
    sort,
    hint,
    name = null,
    scopes = null,
    expiresAt = null,
    environment,
    now,
  }: NewKey & { readonly environment: number } & Stamp,
): Promise<void> {
  const kept = { hash, sort, hint, name, scopes: scopes === null ? null : JSON.stringify(scopes) };
  const row = { ...kept, environment, operator: null, created_at: now, expires_at: expiresAt, revoked_at: null };
  await db.insertInto('credentials').values(row).execute();
}

/** A key was used: when, and from where, is noted now and then. */
export async function noteKeyUsed(
  { db }: WriterContext,
  { hash, from, now }: { readonly hash: string; readonly from: string } & Stamp,
): Promise<null> {
  await db
    .updateTable('credentials')
    .set({ last_used_at: now, last_used_from: from })
    .where('hash', '=', hash)
    .execute();
  return null;
}

/** A key is over from now on. */
export async function revokeKey(
  context: WriterContext,
  revoke: { readonly environment: number; readonly hash: string; readonly hint: string; readonly by: string } & Stamp,
): Promise<null> {
  const { environment, hash, hint, by, now } = revoke;
  await context.db.updateTable('credentials').set({ revoked_at: now }).where('hash', '=', hash).execute();
  context.feed.tell({ what: 'credential-over', hash });
  await note(context, { environment, what: 'key-revoked', by, player: null, detail: `${hint}…`, now });
  return null;
}

/** Sets whether designers may publish where the environment is live. */
export async function setDesignersPublish(
  context: WriterContext,
  { environment, may, by, now }: { readonly environment: number; readonly may: boolean; readonly by: string } & Stamp,
): Promise<null> {
  await environmentOf(context, environment);
  await updateEnvironment(context, environment, { designers_publish: may ? 1 : 0 });
  const detail = may ? 'designers may publish' : 'only admins publish';
  await note(context, { environment, what: 'publishers-set', by, player: null, detail, now });
  return null;
}

/** Sets how much one caller may ask for, where it is not as usual. */
export async function setLimits(
  context: WriterContext,
  {
    environment,
    limits,
    by,
    now,
  }: {
    readonly environment: number;
    readonly limits: { readonly [name: string]: number };
    readonly by: string;
  } & Stamp,
): Promise<null> {
  await environmentOf(context, environment);
  const numbers = Object.entries(limits);
  await updateEnvironment(context, environment, { limits: numbers.length === 0 ? null : JSON.stringify(limits) });
  const detail = numbers.map(([name, number]) => `${name} ${number}`).join(', ') || 'all as usual';
  await note(context, { environment, what: 'limits-set', by, player: null, detail, now });
  return null;
}

/** Sets from which web origins devices may call. */
export async function setOrigins(
  context: WriterContext,
  {
    environment,
    origins,
    by,
    now,
  }: { readonly environment: number; readonly origins: readonly string[] | null; readonly by: string } & Stamp,
): Promise<null> {
  await environmentOf(context, environment);
  await updateEnvironment(context, environment, { origins: origins === null ? null : JSON.stringify(origins) });
  const detail = origins === null ? 'any' : origins.join(', ') || 'none but the service itself';
  await note(context, { environment, what: 'origins-set', by, player: null, detail, now });
  return null;
}
