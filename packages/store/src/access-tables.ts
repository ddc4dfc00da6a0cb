import type { Role } from '@vekkon/protocol';
import type { ColumnType, Generated } from 'kysely';

/** Milliseconds since 1970, UTC. */
type Time = number;
type WrittenOnce<T> = ColumnType<T, T, never>;

export interface OperatorTable {
  number: Generated<number>;
  email: string;
  name: string;
  role: Role;
  password_hash: string;
  created_at: WrittenOnce<Time>;
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
  created_at: WrittenOnce<Time>;
  revoked_at: Time | null;
}
