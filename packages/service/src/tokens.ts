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

const drawnAtATime = 4_096;
let drawn = Buffer.alloc(0);
let taken = 0;

/** Random bytes as text. They are drawn for many at a time: one by one, that takes longer than all else about a token. */
function random(bytes: number, encoding: 'base64url' | 'hex'): string {
  if (taken + bytes > drawn.length) {
    drawn = randomBytes(drawnAtATime);
    taken = 0;
  }
  const text = drawn.toString(encoding, taken, taken + bytes);
  // What was given away is known to nobody but who has it.
  drawn.fill(0, taken, taken + bytes);
  taken += bytes;
  return text;
}

/** A new random token of 192 bits. */
export function newToken(sort: keyof typeof prefixes): string {
  return prefixes[sort] + random(24, 'base64url');
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

/** A new random id of a request, of 72 bits. */
export function newRequestId(): string {
  return random(9, 'base64url');
}

/** A new random id for people to read, of 80 bits. */
export function newId(prefix: 'dev' | 'p' | 'adj' | 'key'): string {
  return `${prefix}-${random(10, 'hex')}`;
}
