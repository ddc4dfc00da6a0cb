import express from 'express';
import helmet from 'helmet';
import { compressedOnce } from './compressed-once.js';
import { serveAccountPages } from './account-pages.js';
import { serveConsole } from './console-files.js';
import { serveMetrics } from './metrics.js';
import { servePlayerFile } from './player-file.js';
import { problemResponder, routeUnknown } from './problems.js';
import { serveAbout } from './routes/about.js';
import { serveAccount, serveAccounts } from './routes/account.js';
import { serveBoards } from './routes/boards.js';
import { serveCheckpoints } from './routes/checkpoints.js';
import { serveDevices } from './routes/devices.js';
import { serveDisturbances } from './routes/disturbances.js';
import { serveEnvironments } from './routes/environments.js';
import { serveIdentities } from './routes/identities.js';
import { serveLimits } from './routes/limits.js';
import { serveHosts } from './routes/hosts.js';
import { serveKeys } from './routes/keys.js';
import { serveManifests } from './routes/manifests.js';
import { serveOperators } from './routes/operators.js';
import { servePlayers } from './routes/players.js';
import { serveRecords } from './routes/records.js';
import { serveSessions } from './routes/sessions.js';
import { serveTuning } from './routes/tuning.js';
import { serveExport } from './routes/export.js';
import { serveGifts } from './routes/gifts.js';
import { serveHistory } from './routes/history.js';
import { serveTransfer } from './routes/transfer.js';
import { serveTrash } from './routes/trash.js';
import { serveWatch } from './routes/watch.js';
import { serveUnsettled } from './routes/unsettled.js';
import type { Listener } from './route-table.js';
import type { Desk } from './serve-route.js';
import { newRequestId } from './tokens.js';

/** Files of a game that the service serves beside its own. */
export interface Pages {
  /** Where they are served, such as `/play`. */
  readonly at: string;
  readonly folder: string;
}

export interface AppOptions {
  /** Folders of a game that are served too. */
  readonly pages?: readonly Pages[] | undefined;
  /** The proxies whose X-Forwarded-For is believed: IP addresses, networks (CIDR) or `loopback`; or how many stand in front. */
  readonly behindProxy?: readonly string[] | number | undefined;
  /** It speaks TLS by itself, or somebody before it does: browsers are told never to come without (RFC 6797). */
  readonly certificate?: object | undefined;
  readonly publicUrl?: string | undefined;
}

/** What answers every request: the routes of the API, and then pages and files in the order in which a request meets them. */
export function makeApp(
  desk: Desk,
  version: string,
  { pages = [], behindProxy, certificate, publicUrl }: AppOptions = {},
): Listener {
  const app = express();
  app.disable('x-powered-by');
  // Whose word is taken on where a call comes from.
  app.set('trust proxy', typeof behindProxy === 'object' ? [...behindProxy] : (behindProxy ?? false));
  // Entity tags are the revisions of records; Express's own would hide them.
  app.disable('etag');
  const isSecure = certificate !== undefined || publicUrl?.startsWith('https:') === true;
  const guard = helmet({
    contentSecurityPolicy: {
      // The console's components write their own style elements.
      directives: { styleSrc: ["'self'", "'unsafe-inline'"], upgradeInsecureRequests: isSecure ? [] : null },
    },
    strictTransportSecurity: isSecure && { maxAge: 31_536_000, includeSubDomains: false },
  });
  app.use(['/console', '/docs', '/account'], guard);
  // What is static is sent compressed to whoever takes it. Answers of the API are not: they are short, and must be fast.
  app.use(['/console/assets', '/vekkon-player.js', ...pages.map(({ at }) => at)], compressedOnce());
  serveAbout(app, desk, version);
  serveMetrics(app, desk);
  serveSessions(desk);
  serveHosts(desk);
  serveDevices(desk);
  serveAccount(desk);
  serveAccounts(desk);
  serveIdentities(desk);
  serveLimits(desk);
  serveUnsettled(desk);
  serveWatch(desk);
  serveBoards(desk);
  serveTuning(desk);
  serveDisturbances(desk);
  serveRecords(desk);
  servePlayers(desk);
  serveTrash(desk);
  serveTransfer(desk);
  serveGifts(desk);
  serveHistory(desk);
  serveExport(desk);
  serveCheckpoints(desk);
  serveManifests(desk);
  serveEnvironments(desk);
  serveKeys(desk);
  serveOperators(desk);
  serveConsole(app);
  serveAccountPages(app, desk);
  servePlayerFile(app);
  for (const { at, folder } of pages) app.use(at, guard, express.static(folder, { etag: true }));
  app.use(routeUnknown);
  const answerError = problemResponder(desk.log, desk.isDamaged);
  app.use(answerError);
  return desk.table.listener(app, (response) => response.setHeader('X-Request-Id', newRequestId()), answerError);
}
