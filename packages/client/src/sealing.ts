import { createCipheriv, createDecipheriv, createHash, hkdfSync, randomBytes } from 'node:crypto';

const sealing = 'aes-256-gcm';
const nonceBytes = 12;
const tagBytes = 16;

/**
 * Seals lines of text, so that nobody reads or edits them by hand: nonce,
 * AES-256-GCM (NIST SP 800-38D) ciphertext and tag in base64. The key is
 * derived from a secret with HKDF (RFC 5869); the line's number is
 * authenticated, so that lines can't be moved or left out.
 */
export class Seal {
  readonly #key: Buffer;

  /**
   * @param secret such as a host key
   * @param salt   random, another one for each file
   * @param use    what is sealed, so that a seal for one thing opens no other
   */
  constructor(secret: string, salt: Buffer, use: string) {
    this.#key = Buffer.from(hkdfSync('sha256', secret, salt, use, 32));
  }

  seal(text: string, line: number): string {
    const nonce = randomBytes(nonceBytes);
    const cipher = createCipheriv(sealing, this.#key, nonce).setAAD(numberBytes(line));
    const sealed = Buffer.concat([nonce, cipher.update(text, 'utf8'), cipher.final()]);
    return Buffer.concat([sealed, cipher.getAuthTag()]).toString('base64');
  }

  /** @returns undefined if it was not sealed so */
  open(sealed: string, line: number): string | undefined {
    try {
      const bytes = Buffer.from(sealed, 'base64');
      const decipher = createDecipheriv(sealing, this.#key, bytes.subarray(0, nonceBytes)).setAAD(numberBytes(line));
      decipher.setAuthTag(bytes.subarray(-tagBytes));
      const text = Buffer.concat([decipher.update(bytes.subarray(nonceBytes, -tagBytes)), decipher.final()]);
      return text.toString('utf8');
    } catch {
      return undefined;
    }
  }
}

/** Tells which secret sealed a file, without telling the secret. */
export function idOfSecret(secret: string, use: string): string {
  return createHash('sha256').update(`vekkon ${use} key id ${secret}`).digest('hex').slice(0, 16);
}

function numberBytes(line: number): Buffer {
  const bytes = Buffer.alloc(8);
  bytes.writeBigUInt64BE(BigInt(line));
  return bytes;
}
