import type { OperatorRole } from '@vekkon/protocol';
import type { ColumnType, Generated } from 'kysely';

/** Milliseconds since 1970, UTC. */
type Time = number;
type WrittenOnce<T> = ColumnType<T, T, never>;

export interface OperatorTable {
  number: Generated<number>;
  email: string;
  name: string;
  /** Where no other role is set for an environment. */
  role: OperatorRole;
  password_hash: string;
  created_at: WrittenOnce<Time>;
  disabled_at: ColumnType<Time | null, Time | null | undefined, Time | null>;
  /** Of the second factor (RFC 6238), in Base32; null where there is none. */
  totp_secret: ColumnType<string | null, string | null | undefined, string | null>;
  /** The step of the last code that was taken: none before it is. */
  totp_step: ColumnType<number | null, number | null | undefined, number | null>;
  /** Hashes of the recovery codes that are left, as a JSON list. */
  recovery: ColumnType<string | null, string | null | undefined, string | null>;
}

/** What an operator may do in one environment. */
export interface OperatorRoleTable {
  operator: WrittenOnce<number>;
  environment: WrittenOnce<number>;
  role: OperatorRole;
}

/** Links with which people become operators; only their hashes are kept. */
export interface InvitationTable {
  hash: WrittenOnce<string>;
  email: WrittenOnce<string>;
  role: WrittenOnce<OperatorRole>;
  /** Environments with the roles for them, as a JSON list of pairs. */
  roles: WrittenOnce<string>;
  by: WrittenOnce<string>;
  created_at: WrittenOnce<Time>;
  expires_at: WrittenOnce<Time>;
  used_at: Time | null;
}

/** Host keys, device keys, the tokens of operators and devices, and the first admin's link; only their hashes are kept. */
export interface CredentialTable {
  hash: WrittenOnce<string>;
  /** The first characters of a key, to tell it by; null for what is no key. */
  hint: WrittenOnce<string | null>;
  sort: WrittenOnce<'host-key' | 'device-key' | 'device' | 'operator' | 'first-admin'>;
  environment: WrittenOnce<number | null>;
  operator: WrittenOnce<number | null>;
  device: ColumnType<number | null, number | null | undefined, never>;
  created_at: WrittenOnce<Time>;
  expires_at: WrittenOnce<Time | null>;
  /** When a device's token was first shown; those before it are over then. */
  used_at: ColumnType<Time | null, Time | null | undefined, Time | null>;
  revoked_at: Time | null;
  /** Of a key: what people call it, and what it is good for, as a JSON list; null for everything. */
  name: ColumnType<string | null, string | null | undefined, string | null>;
  scopes: ColumnType<string | null, string | null | undefined, never>;
  last_used_at: ColumnType<Time | null, Time | null | undefined, Time | null>;
  /** The address from which it was used last. */
  last_used_from: ColumnType<string | null, string | null | undefined, string | null>;
}

/** A player's own device, known by a secret that it made itself; only the secret's hash is kept. */
export interface DeviceTable {
  number: Generated<number>;
  id: WrittenOnce<string>;
  environment: WrittenOnce<number>;
  player: WrittenOnce<number>;
  /** Of a device that is signed in to an account: of a secret that nobody has. */
  secret_hash: string;
  name: string | null;
  /** The hash of the device key with which it came; null where that is not known any more. */
  made_with: ColumnType<string | null, string | null | undefined, never>;
  created_at: WrittenOnce<Time>;
  revoked_at: Time | null;
}
