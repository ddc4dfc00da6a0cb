import { randomBytes } from 'node:crypto';
import { Secret, TOTP } from 'otpauth';
import { hashToken } from './tokens.js';

/** How long a code is shown, in seconds, and how many codes before and after this one are taken: clocks differ. */
const period = 30;
const window = 1;
const recoveryCodes = 10;

function totpOf(secret: string, email = ''): TOTP {
  return new TOTP({ issuer: 'Vekkon', label: email, period, digits: 6, secret: Secret.fromBase32(secret) });
}

/** A secret for an authenticator, in Base32 and as an otpauth URL. */
export function newSecret(email: string): { readonly secret: string; readonly url: string } {
  const secret = new Secret({ size: 20 }).base32;
  return { secret, url: totpOf(secret, email).toString() };
}

/**
 * The step of a code (RFC 6238): each is taken once.
 *
 * @param now milliseconds since 1970
 * @returns undefined where the code is wrong
 */
export function stepOf(secret: string, code: string, now: number): number | undefined {
  const token = code.replaceAll(/\s/g, '');
  if (!/^\d{6}$/.test(token)) return undefined;
  const delta = totpOf(secret).validate({ token, timestamp: now, window });
  return delta === null ? undefined : Math.floor(now / 1000 / period) + delta;
}

/** Codes for when the authenticator is lost, each good once; only their hashes are kept. */
export function newRecoveryCodes(): { readonly codes: readonly string[]; readonly hashes: readonly string[] } {
  const codes = Array.from({ length: recoveryCodes }, () => {
    const text = randomBytes(8).toString('hex').slice(0, 12);
    return `${text.slice(0, 4)}-${text.slice(4, 8)}-${text.slice(8)}`;
  });
  return { codes, hashes: codes.map(hashOfRecovery) };
}

export function hashOfRecovery(code: string): string {
  return hashToken(code.trim().toLowerCase());
}
