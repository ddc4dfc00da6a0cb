import type { Kysely } from 'kysely';
import type { Tables } from '../tables.js';

/** Who a credential belongs to. */
export interface Credential {
  readonly sort: 'host-key' | 'device-key' | 'device' | 'operator' | 'first-admin';
  readonly hint: string | null;
  /** What a key is good for, as a JSON list; null for everything. */
  readonly scopes: string | null;
  /** Of a device's token: what the key with which the device came is known by, and good for. */
  readonly made_with_hint: string | null;
  readonly made_with_scopes: string | null;
  readonly environment: number | null;
  readonly operator: number | null;
  /** Of a device's token: the device, and its player. */
  readonly device_id: string | null;
  readonly player_id: string | null;
  readonly used_at: number | null;
  readonly expires_at: number | null;
  readonly revoked_at: number | null;
}

/** Credentials, and whom they belong to. */
export class AccessReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  async credential(hash: string): Promise<Credential | undefined> {
    return this.#db
      .selectFrom('credentials')
      .leftJoin('devices', 'devices.number', 'credentials.device')
      .leftJoin('players', 'players.number', 'devices.player')
      .leftJoin('credentials as maker', 'maker.hash', 'devices.made_with')
      .select(['maker.hint as made_with_hint', 'maker.scopes as made_with_scopes'])
      .select([
        'credentials.sort',
        'credentials.hint',
        'credentials.scopes',
        'credentials.environment',
        'credentials.operator',
        'credentials.expires_at',
        'credentials.revoked_at',
        'credentials.used_at',
      ])
      .select(['devices.id as device_id', 'players.id as player_id'])
      .where('credentials.hash', '=', hash)
      .executeTakeFirst();
  }

  /** An environment's keys, the oldest first. */
  async keys(environment: number) {
    return this.#db
      .selectFrom('credentials')
      .select(['hash', 'hint', 'sort', 'name', 'scopes', 'created_at', 'expires_at', 'revoked_at'])
      .select(['last_used_at', 'last_used_from'])
      .where('environment', '=', environment)
      .where('sort', 'in', ['host-key', 'device-key'])
      .orderBy('created_at')
      .execute();
  }

  async operatorByEmail(email: string) {
    return this.#db.selectFrom('operators').selectAll().where('email', '=', email.toLowerCase()).executeTakeFirst();
  }

  async operator(number: number) {
    return this.#db.selectFrom('operators').selectAll().where('number', '=', number).executeTakeFirst();
  }

  /** The roles that operators have in single environments; of one, or of all. */
  async roles(operator?: number) {
    const all = this.#db.selectFrom('operator_roles').selectAll();
    return (operator === undefined ? all : all.where('operator', '=', operator)).execute();
  }

  /** Everybody who can sign in, or could. */
  async operators() {
    return this.#db.selectFrom('operators').selectAll().orderBy('email').execute();
  }

  /** Who is invited and has not come yet. */
  async invitations(now: number) {
    return this.#db
      .selectFrom('invitations')
      .select(['email', 'role', 'by', 'created_at', 'expires_at'])
      .where('used_at', 'is', null)
      .where('expires_at', '>', now)
      .orderBy('email')
      .execute();
  }

  /** Where an operator is signed in now, the newest first. */
  async signIns(operator: number, now: number) {
    return this.#db
      .selectFrom('credentials')
      .select(['hash', 'name', 'created_at', 'expires_at', 'last_used_at', 'last_used_from'])
      .where('operator', '=', operator)
      .where('sort', '=', 'operator')
      .where('revoked_at', 'is', null)
      .where('expires_at', '>', now)
      .orderBy('created_at', 'desc')
      .limit(100)
      .execute();
  }

  async hasOperator(): Promise<boolean> {
    return (await this.#db.selectFrom('operators').select('number').executeTakeFirst()) !== undefined;
  }
}
