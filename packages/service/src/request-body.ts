import { limits, serviceLimits } from '@vekkon/core';
import { routes, type Route } from '@vekkon/protocol';
import express, { type Request, type Response } from 'express';
import { isOnDevice, type Principal } from './access.js';
import { pass } from './limits/counted.js';

// Whatever the content type says: a value sent with plain curl is JSON all the same.
const usual = express.text({ limit: limits.bodyBytes, type: () => true });
const large = express.text({ limit: serviceLimits.bulkBodyBytes, type: () => true });
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
  await pass(takesMuch ? large : usual, request, response);
}
