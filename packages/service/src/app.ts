import { randomBytes } from 'node:crypto';
import { limits } from '@vekkon/core';
import { Refusal, routes } from '@vekkon/protocol';
import express, { type Express } from 'express';
import { rateLimit } from 'express-rate-limit';
import helmet from 'helmet';
import { serveConsole } from './console-files.js';
import { servePlayerFile } from './player-file.js';
import { problemResponder, routeUnknown } from './problems.js';
import { serveAbout } from './routes/about.js';
import { serveCheckpoints } from './routes/checkpoints.js';
import { serveDevices } from './routes/devices.js';
import { serveDisturbances } from './routes/disturbances.js';
import { serveEnvironments } from './routes/environments.js';
import { serveHosts } from './routes/hosts.js';
import { serveKeys } from './routes/keys.js';
import { serveManifests } from './routes/manifests.js';
import { serveOperators } from './routes/operators.js';
import { servePlayers } from './routes/players.js';
import { serveRecords } from './routes/records.js';
import { serveSessions } from './routes/sessions.js';
import { serveTrash } from './routes/trash.js';
import { serveUnsettled } from './routes/unsettled.js';
import type { Desk } from './serve-route.js';

/** Files of a game that the service serves beside its own. */
export interface Pages {
  /** Where they are served, such as `/play`. */
  readonly at: string;
  readonly folder: string;
}

const signInTriesPerMinute = 30;

/** The service's routes, in the order in which a request meets them. */
export function makeApp(desk: Desk, version: string, pages: readonly Pages[] = []): Express {
  const app = express();
  app.disable('x-powered-by');
  // Entity tags are the revisions of records; Express's own would hide them.
  app.disable('etag');
  app.use((_request, response, next) => {
    response.set('X-Request-Id', randomBytes(9).toString('base64url'));
    next();
  });
  const guard = helmet({
    contentSecurityPolicy: {
      // The console's components write their own style elements. The service itself speaks plain HTTP.
      directives: { styleSrc: ["'self'", "'unsafe-inline'"], upgradeInsecureRequests: null },
    },
    strictTransportSecurity: false,
  });
  app.use(['/console', '/docs'], guard);
  // Whatever the content type says: a value sent with plain curl is JSON all the same.
  app.use([routes.bulk.path, routes.manifest.path], express.text({ limit: limits.bulkBodyBytes, type: () => true }));
  app.use('/v1', express.text({ limit: limits.bodyBytes, type: () => true }));
  app.use([routes.signIn.path, routes.firstAdmin.path], signInLimit());
  serveAbout(app, desk, version);
  serveSessions(app, desk);
  serveHosts(app, desk);
  serveDevices(app, desk);
  serveUnsettled(app, desk);
  serveDisturbances(app, desk);
  serveRecords(app, desk);
  servePlayers(app, desk);
  serveTrash(app, desk);
  serveCheckpoints(app, desk);
  serveManifests(app, desk);
  serveEnvironments(app, desk);
  serveKeys(app, desk);
  serveOperators(app, desk);
  serveConsole(app);
  servePlayerFile(app);
  for (const { at, folder } of pages) app.use(at, guard, express.static(folder, { etag: true }));
  app.use(routeUnknown);
  app.use(problemResponder(desk.log, desk.isDamaged));
  return app;
}

/** Passwords can't be guessed by trying many. */
function signInLimit() {
  return rateLimit({
    windowMs: 60_000,
    limit: signInTriesPerMinute,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (_request, _response, next) => next(new Refusal('too-many-requests', undefined, { retryAfter: 60 })),
  });
}
