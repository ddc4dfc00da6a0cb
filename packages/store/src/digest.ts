import { hash } from 'node:crypto';

/** SHA-256 of a text in base64url. */
export function digestOf(text: string): string {
  return hash('sha256', text, 'base64url');
}
