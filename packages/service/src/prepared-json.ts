import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import type { RequestHandler } from 'express';

/**
 * Answers with what never changes while the service runs: written out, and
 * compressed, once. However often it is asked for, it costs nobody else time.
 */
export function preparedJson(content: object): RequestHandler {
  const plain = Buffer.from(JSON.stringify(content));
  const etag = `"${createHash('sha256').update(plain).digest('base64url').slice(0, 22)}"`;
  let packed: Buffer | undefined;
  return (request, response) => {
    response.set({ 'Content-Type': 'application/json; charset=utf-8', ETag: etag, Vary: 'Accept-Encoding' });
    if (request.get('If-None-Match') === etag) return void response.status(304).end();
    if (request.acceptsEncodings(['gzip', 'identity']) !== 'gzip') return void response.end(plain);
    packed ??= gzipSync(plain);
    response.set('Content-Encoding', 'gzip').end(packed);
  };
}
