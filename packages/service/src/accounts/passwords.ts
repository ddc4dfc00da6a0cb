import { hash, verify } from '@node-rs/argon2';
import { passwordProblem } from '@vekkon/core/accounts';
import { Refusal } from '@vekkon/protocol';
import { newToken } from '../tokens.js';
import { Turns } from '../turns.js';

/** As many passwords are checked for each sign-in, however many accounts there are: time tells nobody who is known. */
export const alwaysChecked = 3;

const ofNobody = hash(newToken('operator'));
let commonest: Promise<ReadonlySet<string>> | undefined;

/** Passwords, kept as Argon2id hashes (RFC 9106). One address has one worked on at a time. */
export class Passwords {
  readonly #turns = new Turns();

  /** @throws Refusal `password-refused`, in words */
  async hashOf(address: string, password: string, email: string): Promise<string> {
    commonest ??= commonPasswords();
    const common = await commonest;
    const wrong = passwordProblem(password, email, (one) => common.has(one));
    if (wrong !== undefined) throw new Refusal('password-refused', wrong);
    return this.#turns.take(address, () => hash(password));
  }

  async isRight(address: string, kept: string, password: string): Promise<boolean> {
    return this.#turns.take(address, () => verify(kept, password));
  }

  /** The first of some for whom the password is right. It takes as long for nobody. */
  async firstRight<Known extends { readonly password_hash: string | null }>(
    address: string,
    known: readonly Known[],
    password: string,
  ): Promise<Known | undefined> {
    let found: Known | undefined;
    for (let index = 0; index < alwaysChecked; index++) {
      const one = known[index];
      const isRight = await this.isRight(address, one?.password_hash ?? (await ofNobody), password);
      if (isRight && one !== undefined) found ??= one;
    }
    return found;
  }
}

/** The commonest passwords, in small letters, as they were counted in what was leaked elsewhere. */
async function commonPasswords(): Promise<ReadonlySet<string>> {
  const { dictionary } = await import('@zxcvbn-ts/language-common');
  return new Set(dictionary['passwords-common'] as readonly string[]);
}
