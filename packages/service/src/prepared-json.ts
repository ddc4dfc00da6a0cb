import { createHash } from 'node:crypto';
import type { RequestHandler } from 'express';
import { compressedOnce } from './compressed-once.js';

/**
 * Answers with what never changes while the service runs: written out, and
 * compressed, once. However often it is asked for, it costs nobody else time.
 */
export function preparedJson(content: object): readonly [RequestHandler, RequestHandler] {
  const plain = Buffer.from(JSON.stringify(content));
  const etag = `"${createHash('sha256').update(plain).digest('base64url').slice(0, 22)}"`;
  return [
    compressedOnce(),
    (request, response) => {
      response.set({ 'Content-Type': 'application/json; charset=utf-8', ETag: etag });
      if (request.get('If-None-Match') === etag) return void response.status(304).end();
      response.set('Content-Length', String(plain.length)).end(plain);
    },
  ];
}
