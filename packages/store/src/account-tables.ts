import type { ColumnType, Generated } from 'kysely';

/** Milliseconds since 1970, UTC. */
type Time = number;
type WrittenOnce<T> = ColumnType<T, T, never>;

/** How a player is known on devices. */
export interface AccountTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  player: WrittenOnce<number>;
  /** Null where only an identity provider knows it. */
  email: string | null;
  /** What it is found by: in small letters, and empty where there is none. Several may claim one address; who confirms it has it. */
  folded_email: string;
  confirmed_at: Time | null;
  /** Null where there is none: only by an identity provider can be signed in. */
  password_hash: string | null;
  created_at: WrittenOnce<Time>;
  disabled_at: Time | null;
}

/** What was mailed: only its hash is kept. */
export interface AccountLinkTable {
  hash: WrittenOnce<string>;
  account: WrittenOnce<number>;
  sort: WrittenOnce<'confirm' | 'reset'>;
  /** The address that it confirms. */
  email: WrittenOnce<string>;
  created_at: WrittenOnce<Time>;
  expires_at: WrittenOnce<Time>;
  used_at: Time | null;
}

/** One stay of an account on one device, from signing in to signing out. */
export interface SignInTable {
  id: WrittenOnce<string>;
  account: WrittenOnce<number>;
  device: WrittenOnce<number>;
  created_at: WrittenOnce<Time>;
  /** When its access token was first shown: what the device was known by before is over then. */
  opened_at: Time | null;
  used_at: Time;
  /** Where it came from, the last time. */
  address: string;
  ended_at: Time | null;
}

/** What a sign-in is renewed with, once; only hashes are kept. */
export interface RefreshTokenTable {
  hash: WrittenOnce<string>;
  sign_in: WrittenOnce<string>;
  created_at: WrittenOnce<Time>;
  expires_at: WrittenOnce<Time>;
  used_at: Time | null;
  /** The one that was given for it. */
  next: string | null;
}

/** What access tokens are signed with. */
export interface SigningKeyTable {
  id: WrittenOnce<string>;
  /** A JSON Web Key (RFC 7517), the private part too. */
  key: WrittenOnce<string>;
  created_at: WrittenOnce<Time>;
}

/** With whom players of an environment sign in (OpenID Connect Core 1.0). */
export interface IdentityProviderTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  name: WrittenOnce<string>;
  /** What players read. */
  title: string;
  issuer: string;
  /** What we are known by there: the audience of its ID tokens. */
  client_id: string;
  client_secret: string | null;
  created_at: WrittenOnce<Time>;
}

/** Who a player is with an identity provider: an issuer's subject never means another. */
export interface IdentityTable {
  environment: WrittenOnce<number>;
  issuer: WrittenOnce<string>;
  subject: WrittenOnce<string>;
  account: WrittenOnce<number>;
  /** The provider's name. */
  provider: string;
  email: string | null;
  created_at: WrittenOnce<Time>;
  used_at: Time;
}

/** A device has gone to an identity provider, and may come back. */
export interface IdentityTryTable {
  /** Of what only the device knows. */
  hash: WrittenOnce<string>;
  environment: WrittenOnce<number>;
  /** The device's id. */
  device: WrittenOnce<string>;
  purpose: WrittenOnce<'sign-in' | 'link'>;
  provider: WrittenOnce<string>;
  issuer: WrittenOnce<string>;
  state_hash: WrittenOnce<string>;
  nonce: WrittenOnce<string>;
  /** Of PKCE (RFC 7636). */
  verifier: WrittenOnce<string>;
  /** Where the browser goes afterwards; null where the code is shown to the player. */
  return_to: WrittenOnce<string | null>;
  created_at: WrittenOnce<Time>;
  expires_at: WrittenOnce<Time>;
  /** When the browser came back: it may once. */
  returned_at: Time | null;
  /** Of what the browser brings to the device. */
  code_hash: string | null;
  subject: string | null;
  email: string | null;
  wrong_codes: number;
  used_at: Time | null;
}
