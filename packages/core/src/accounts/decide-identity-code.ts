/** What is known of a sign-in with an identity provider that a device began. Times in milliseconds since 1970, UTC. */
export interface BegunIdentity {
  /** Of the code that the browser was given; null while it has not come back. */
  readonly codeHash: string | null;
  readonly wrongCodes: number;
  readonly expiresAt: number;
  /** When it was used; it is good once. */
  readonly usedAt: number | null;
}

/** How many wrong codes end it: eight characters can't be guessed in so few. */
const mostWrong = 5;

/** Whether the code that a device shows is the one that the browser was given. */
export function decideIdentityCode(
  { codeHash, wrongCodes, expiresAt, usedAt }: BegunIdentity,
  shownHash: string,
  now: number,
): 'right' | 'wrong' | 'over' {
  if (usedAt !== null || expiresAt <= now || wrongCodes >= mostWrong || codeHash === null) return 'over';
  return codeHash === shownHash ? 'right' : 'wrong';
}
