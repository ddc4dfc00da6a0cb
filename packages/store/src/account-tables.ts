import type { ColumnType, Generated } from 'kysely';

/** Milliseconds since 1970, UTC. */
type Time = number;
type WrittenOnce<T> = ColumnType<T, T, never>;

/** How a player is known on devices. */
export interface AccountTable {
  number: Generated<number>;
  environment: WrittenOnce<number>;
  player: WrittenOnce<number>;
  email: string;
  /** What it is found by: in small letters. Several may claim one address; who confirms it has it. */
  folded_email: string;
  confirmed_at: Time | null;
  password_hash: string;
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
