/** How long a password is, in characters. */
export const passwordLength = { least: 8, most: 200 } as const;

/** What a password must be, to be said before the first try. */
export const passwordRule = `At least ${passwordLength.least} characters; not one of the commonest, and not your e-mail address.`;

/**
 * Why a password is not taken.
 *
 * @param isCommon is a text, in small letters, among the commonest passwords?
 * @returns undefined where it is good enough
 */
export function passwordProblem(
  password: string,
  email: string,
  isCommon: (password: string) => boolean,
): string | undefined {
  const length = [...password].length;
  const { least, most } = passwordLength;
  if (length < least) return `A password has at least ${least} characters: this one has ${length}.`;
  if (length > most) return `A password has at most ${most} characters: this one has ${length}.`;
  const small = password.toLowerCase();
  const [local = ''] = email.toLowerCase().split('@');
  if (small === email.toLowerCase() || small === local) return 'Your e-mail address is no password: choose another.';
  if (isCommon(small)) return 'This is one of the commonest passwords, which are tried first: choose another.';
  return undefined;
}
