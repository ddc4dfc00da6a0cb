import type { Kysely } from 'kysely';
import type { AccountRow, IdentityProviderRow, Tables } from '../tables.js';

/** How many accounts that only claim an address are looked at: who comes after them confirms it first. */
const mostClaims = 3;

/** Players' accounts, and where they are signed in. */
export class AccountReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /** Who may sign in with an address: who has confirmed it, else the first who claimed it. */
  async byEmail(environment: number, email: string): Promise<readonly AccountRow[]> {
    const named = this.#db
      .selectFrom('accounts')
      .selectAll()
      .where('environment', '=', environment)
      .where('folded_email', '=', email.toLowerCase());
    const confirmed = await named.where('confirmed_at', 'is not', null).executeTakeFirst();
    if (confirmed !== undefined) return [confirmed];
    return named.orderBy('number').limit(mostClaims).execute();
  }

  async ofPlayer(environment: number, player: string): Promise<AccountRow | undefined> {
    return this.#db
      .selectFrom('accounts')
      .innerJoin('players', 'players.number', 'accounts.player')
      .selectAll('accounts')
      .where('players.environment', '=', environment)
      .where('players.id', '=', player)
      .executeTakeFirst();
  }

  /** A sign-in with whom and what it is for, as an access token names it. */
  async signIn(id: string) {
    return this.#db
      .selectFrom('sign_ins')
      .innerJoin('accounts', 'accounts.number', 'sign_ins.account')
      .innerJoin('players', 'players.number', 'accounts.player')
      .innerJoin('devices', 'devices.number', 'sign_ins.device')
      .leftJoin('credentials as maker', 'maker.hash', 'devices.made_with')
      .select(['maker.hint as made_with_hint', 'maker.scopes as made_with_scopes'])
      .select((select) => select.fn.coalesce('sign_ins.ended_at', 'devices.revoked_at').as('ended_at'))
      .select(['opened_at', 'accounts.environment', 'players.id as player', 'devices.id as device'])
      .where('sign_ins.id', '=', id)
      .executeTakeFirst();
  }

  /** The open sign-in of a device, and when it began. */
  async signInOfDevice(device: string): Promise<{ readonly id: string; readonly created_at: number } | undefined> {
    return this.#db
      .selectFrom('sign_ins')
      .innerJoin('devices', 'devices.number', 'sign_ins.device')
      .select(['sign_ins.id', 'sign_ins.created_at'])
      .where('devices.id', '=', device)
      .where('sign_ins.ended_at', 'is', null)
      .executeTakeFirst();
  }

  /** With whom players of an environment sign in. */
  async providers(environment: number): Promise<readonly IdentityProviderRow[]> {
    return this.#db
      .selectFrom('identity_providers')
      .selectAll()
      .where('environment', '=', environment)
      .orderBy('name')
      .execute();
  }

  /** Has a device begun to sign in with an identity provider, under this hash of a state? */
  async hasIdentityTry(stateHash: string): Promise<boolean> {
    const query = this.#db.selectFrom('identity_tries').select('hash').where('state_hash', '=', stateHash);
    return (await query.executeTakeFirst()) !== undefined;
  }

  /** Whose an identity is. */
  async byIdentity(environment: number, issuer: string, subject: string): Promise<AccountRow | undefined> {
    return this.#db
      .selectFrom('identities')
      .innerJoin('accounts', 'accounts.number', 'identities.account')
      .selectAll('accounts')
      .where('identities.environment', '=', environment)
      .where('issuer', '=', issuer)
      .where('subject', '=', subject)
      .executeTakeFirst();
  }

  /** Who an account is with identity providers. */
  async identities(account: number) {
    return this.#db.selectFrom('identities').selectAll().where('account', '=', account).orderBy('provider').execute();
  }

  /** Where an account is signed in, the newest first. */
  async signIns(account: number, count: number) {
    return this.#db
      .selectFrom('sign_ins')
      .innerJoin('devices', 'devices.number', 'sign_ins.device')
      .select(['sign_ins.id', 'sign_ins.created_at', 'sign_ins.used_at', 'sign_ins.address', 'sign_ins.ended_at'])
      .select(['devices.id as device', 'devices.name'])
      .where('account', '=', account)
      .orderBy('sign_ins.created_at', 'desc')
      .limit(count)
      .execute();
  }

  /** Accounts whose address starts with a text, in its order. */
  async list(environment: number, search: string, count: number, after: string) {
    const start = search.toLowerCase();
    return this.#db
      .selectFrom('accounts')
      .innerJoin('players', 'players.number', 'accounts.player')
      .selectAll('accounts')
      .select('players.id as player_id')
      .where('accounts.environment', '=', environment)
      .where('folded_email', '>=', start)
      .where('folded_email', '<', `${start}\u{10ffff}`)
      .where((where) => {
        const [email = '', number = '0'] = after.split(' ');
        if (after === '') return where.lit(true);
        return where.or([
          where('folded_email', '>', email),
          where.and([where('folded_email', '=', email), where('accounts.number', '>', Number(number))]),
        ]);
      })
      .orderBy('folded_email')
      .orderBy('accounts.number')
      .limit(count)
      .execute();
  }

  /** The keys with which access tokens were signed, the newest first. */
  async signingKeys() {
    return this.#db.selectFrom('signing_keys').selectAll().orderBy('created_at', 'desc').execute();
  }
}
