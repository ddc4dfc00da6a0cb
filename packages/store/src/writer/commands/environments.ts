import type { Manifest } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol';
import type { Stamp, WriterContext } from '../context.js';

export interface CreateEnvironment {
  readonly name: string;
  readonly isLive: boolean;
  readonly leaseSeconds: number;
  readonly manifest: Manifest;
  /** The manifest's file as it was sent. */
  readonly source: string;
  readonly hostKeyHash: string;
  readonly deviceKeyHash: string;
}

/** Makes an environment with its first manifest and its first keys. */
export async function createEnvironment(
  { db }: WriterContext,
  create: CreateEnvironment & Stamp,
): Promise<{ readonly number: number }> {
  const { game } = create.manifest;
  const taken = await db
    .selectFrom('environments')
    .select('number')
    .where('game', '=', game)
    .where('name', '=', create.name)
    .executeTakeFirst();
  if (taken !== undefined) {
    throw new Refusal('environment-exists', `"${game}" has an environment "${create.name}" already: choose another name.`);
  }
  const { number } = await db
    .insertInto('environments')
    .values({
      game,
      name: create.name,
      is_live: create.isLive ? 1 : 0,
      lease_seconds: create.leaseSeconds,
      manifest_version: 1,
      created_at: create.now,
    })
    .returning('number')
    .executeTakeFirstOrThrow();
  await db
    .insertInto('manifests')
    .values({
      environment: number,
      version: 1,
      source: create.source,
      manifest: JSON.stringify(create.manifest),
      installed_at: create.now,
    })
    .execute();
  for (const [sort, hash] of [
    ['host-key', create.hostKeyHash],
    ['device-key', create.deviceKeyHash],
  ] as const) {
    await db
      .insertInto('credentials')
      .values({ hash, sort, environment: number, operator: null, created_at: create.now, expires_at: null, revoked_at: null })
      .execute();
  }
  return { number };
}
