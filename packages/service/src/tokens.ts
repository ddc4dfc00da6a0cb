import { hash, randomBytes } from 'node:crypto';

/** What a credential starts with, so that people can tell them apart. */
const prefixes = {
  hostKey: 'vkh_',
  deviceKey: 'vkd_',
  deviceToken: 'vkt_',
  operator: 'vko_',
  invitation: 'vki_',
  session: 'ses_',
  refresh: 'vkr_',
  link: 'vkl_',
  signIn: 'sig_',
} as const;

/** A new random token of 192 bits. */
export function newToken(sort: keyof typeof prefixes): string {
  return prefixes[sort] + randomBytes(24).toString('base64url');
}

/** Letters and digits that nobody takes for one another. */
const codeLetters = '23456789ABCDEFGHJKLMNPQRSTUVWXYZ';

/** A new random code of 40 bits, for people to type: good only beside something that is long, and for a few tries. */
export function newCode(): string {
  const letters = [...randomBytes(8)].map((byte) => codeLetters[byte % codeLetters.length]).join('');
  return `${letters.slice(0, 4)}-${letters.slice(4)}`;
}

/** What is kept of a token. It is random and long, so a plain hash can't be guessed back. */
export function hashToken(token: string): string {
  return hash('sha256', token, 'base64url');
}

/** Random bytes for the ids of many requests: asking for them one by one takes longer than all else about an id. */
const requestIdBytes = 9;
let pool = Buffer.alloc(0);
let taken = 0;

/** A new random id of a request, of 72 bits. */
export function newRequestId(): string {
  if (taken + requestIdBytes > pool.length) {
    pool = randomBytes(256 * requestIdBytes);
    taken = 0;
  }
  taken += requestIdBytes;
  return pool.toString('base64url', taken - requestIdBytes, taken);
}

/** A new random id for people to read, of 80 bits. */
export function newId(prefix: 'dev' | 'p' | 'adj' | 'key'): string {
  return `${prefix}-${randomBytes(10).toString('hex')}`;
}
