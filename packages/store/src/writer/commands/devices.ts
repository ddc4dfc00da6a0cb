import { Refusal } from '@vekkon/protocol/problems';
import type { Stamp, WriterContext } from '../context.js';
import { addPlayer, findPlayer } from '../sessions.js';
import { note } from './activity.js';

export interface AddDevice {
  readonly environment: number;
  readonly secretHash: string;
  readonly name: string | null;
  /** The id of the device, and of its player, if it is not known yet. */
  readonly device: string;
  readonly player: string;
  /** The hash of the token that it is given. */
  readonly tokenHash: string;
  /** The hash of the device key that was shown. */
  readonly madeWith: string;
  /** Milliseconds since 1970, UTC. */
  readonly expiresAt: number;
}

export interface AddedDevice {
  readonly device: string;
  readonly player: string;
}

/** How many tokens a device may have that were never shown: answers that it lost. */
const unusedTokens = 5;

/**
 * Makes a player for a device, once for its secret, and gives it a token.
 * Earlier tokens hold until this one is first used, so that a lost answer
 * shuts nobody out.
 */
export async function addDevice(context: WriterContext, add: AddDevice & Stamp): Promise<AddedDevice> {
  const { db } = context;
  const { environment, secretHash, now } = add;
  const known = await db
    .selectFrom('devices')
    .innerJoin('players', 'players.number', 'devices.player')
    .select(['devices.number', 'devices.id', 'devices.revoked_at', 'players.id as player'])
    .where('devices.environment', '=', environment)
    .where('secret_hash', '=', secretHash)
    .executeTakeFirst();
  if (known !== undefined && known.revoked_at !== null) throw new Refusal('device-revoked');
  const device = known ?? (await newDevice(context, add));
  await db
    .insertInto('credentials')
    .values({
      hash: add.tokenHash,
      hint: null,
      sort: 'device',
      environment,
      operator: null,
      device: device.number,
      created_at: now,
      expires_at: add.expiresAt,
      revoked_at: null,
    })
    .execute();
  const unused = await db
    .selectFrom('credentials')
    .select('hash')
    .where('device', '=', device.number)
    .where('used_at', 'is', null)
    .orderBy('created_at', 'desc')
    .offset(unusedTokens)
    .limit(100)
    .execute();
  const surplus = unused.map(({ hash }) => hash).filter((hash) => hash !== add.tokenHash);
  if (surplus.length > 0) await db.deleteFrom('credentials').where('hash', 'in', surplus).execute();
  return { device: device.id, player: device.player };
}

async function newDevice(
  context: WriterContext,
  { environment, secretHash, name, device, player, madeWith, now }: AddDevice & Stamp,
) {
  const { number: playerNumber } = await addPlayer(context, { environment, player, now });
  const { number } = await context.db
    .insertInto('devices')
    .values({
      id: device,
      environment,
      player: playerNumber,
      secret_hash: secretHash,
      name,
      made_with: madeWith,
      created_at: now,
      revoked_at: null,
    })
    .returning('number')
    .executeTakeFirstOrThrow();
  return { number, id: device, player };
}

/** A token is shown for the first time: those that the device was given before it are over. */
export async function useDeviceToken(
  { db, feed }: WriterContext,
  { hash, now }: { readonly hash: string } & Stamp,
): Promise<null> {
  const token = await db
    .selectFrom('credentials')
    .innerJoin('devices', 'devices.number', 'credentials.device')
    .select(['devices.number as device', 'devices.id', 'credentials.created_at', 'used_at'])
    .where('hash', '=', hash)
    .executeTakeFirst();
  if (token === undefined || token.used_at !== null) return null;
  await db.updateTable('credentials').set({ used_at: now }).where('hash', '=', hash).execute();
  const { numUpdatedRows } = await db
    .updateTable('credentials')
    .set({ revoked_at: now })
    .where('device', '=', token.device)
    .where('hash', '!=', hash)
    .where((where) => where.or([where('used_at', 'is not', null), where('created_at', '<', token.created_at)]))
    .where('revoked_at', 'is', null)
    .executeTakeFirst();
  if (numUpdatedRows > 0n) feed.tell({ what: 'device-over', device: token.id, but: hash });
  return null;
}

export interface RevokeDevice {
  readonly environment: number;
  readonly player: string;
  readonly device: string;
  readonly by: string;
}

/** Shuts a device out: neither its tokens nor its secret are taken any more. */
export async function revokeDevice(
  context: WriterContext,
  { environment, player: id, device, by, now }: RevokeDevice & Stamp,
): Promise<null> {
  const { db } = context;
  const player = await findPlayer(context, environment, id);
  if (player === undefined) throw new Refusal('player-unknown');
  const found = await db
    .selectFrom('devices')
    .select('number')
    .where('player', '=', player.number)
    .where('id', '=', device)
    .executeTakeFirst();
  if (found === undefined) throw new Refusal('device-unknown');
  await db.updateTable('devices').set({ revoked_at: now }).where('number', '=', found.number).execute();
  await db
    .updateTable('credentials')
    .set({ revoked_at: now })
    .where('device', '=', found.number)
    .where('revoked_at', 'is', null)
    .execute();
  context.feed.tell({ what: 'device-over', device, but: null });
  await note(context, { environment, what: 'device-revoked', by, player: id, detail: device, now });
  return null;
}
