import { limits, serviceLimits } from '@vekkon/core';
import { Refusal, routes, type Route } from '@vekkon/protocol';
import express, { type Request, type Response } from 'express';
import { isOnDevice, type Principal } from './access.js';
import { pass } from './limits/counted.js';

// Whatever the content type says: a value sent with plain curl is JSON all the same.
const usual = { bytes: limits.bodyBytes, parser: express.text({ limit: limits.bodyBytes, type: () => true }) };
const large = {
  bytes: serviceLimits.bulkBodyBytes,
  parser: express.text({ limit: serviceLimits.bulkBodyBytes, type: () => true }),
};
const routesWithMuch: readonly Route[] = [
  routes.bulk,
  routes.installManifest,
  routes.checkManifest,
  routes.diffManifest,
  routes.createGift,
  routes.giftLook,
  routes.importPlayers,
];

/** Reads the text of a request's body. Who it is is known by now: nobody else's is read, and a device's is small. */
export async function readBody(
  request: Request,
  response: Response,
  route: Route,
  principal: Principal,
): Promise<void> {
  const takesMuch = routesWithMuch.includes(route) && !isOnDevice(principal);
  const { bytes, parser } = takesMuch ? large : usual;
  if (isPlain(request, bytes)) request.body = await readPlain(request);
  else await pass(parser, request, response);
}

/** Is a body what nearly all are: UTF-8 of a length that is said, and as it is? It is read without more ado. */
function isPlain({ headers, readable }: Request, atMost: number): boolean {
  const { 'content-length': length, 'content-type': type, 'content-encoding': encoding } = headers;
  if (!readable || encoding !== undefined || length === undefined || Number(length) > atMost) return false;
  return type === undefined || !/charset/i.test(type) || /;\s*charset="?utf-8"?\s*$/i.test(type);
}

/** @throws Refusal `body-not-json` where the connection ends before the body */
function readPlain(request: Request): Promise<string> {
  return new Promise((resolve, reject) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.once('end', () => {
      const [first = Buffer.alloc(0)] = chunks;
      const text = (chunks.length > 1 ? Buffer.concat(chunks) : first).toString();
      resolve(text.startsWith(byteOrderMark) ? text.slice(1) : text);
    });
    request.once('error', () => reject(new Refusal('body-not-json', 'The body could not be read: it was cut off.')));
  });
}

const byteOrderMark = '\uFEFF';
