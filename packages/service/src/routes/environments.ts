import { foundByInWords, isProblem, readFoundBy } from '@vekkon/core';
import { Refusal, routes, type EnvironmentSummary } from '@vekkon/protocol';
import { rfc3339, termsIn, type EnvironmentRow, type Reader } from '@vekkon/store';
import { nameOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { newKey } from './keys.js';

/** Seconds for which a session is promised to its host. In `dev` a breakpoint may stop the game for a while. */
const leaseSeconds = { dev: 900, other: 60 };

const hour = 3_600_000;

/** Games and their environments. */
export function serveEnvironments(desk: Desk): void {
  const { reader, writer } = desk;

  serveRoute(desk, routes.createEnvironment, async ({ body, principal }) => {
    const { manifest: source } = body;
    const manifest =
      source === undefined ? null : { manifest: await desk.manifests.manifestIn(source, nameOf(principal)), source };
    const game = manifest?.manifest.game ?? body.game;
    if (game === undefined)
      throw new Refusal('request-invalid', 'Send the manifest, or at least the name of the game.');
    const host = newKey('hostKey');
    const device = newKey('deviceKey');
    const { number } = await writer.do('createEnvironment', {
      game,
      name: body.environment,
      isLive: body.live,
      leaseSeconds: body.environment === 'dev' ? leaseSeconds.dev : leaseSeconds.other,
      manifest,
      keys: [host.kept, device.kept],
      // Development is open to every page; elsewhere somebody says which.
      origins: body.environment === 'dev' ? null : [],
      by: nameOf(principal),
    });
    const summary = await environmentSummary(reader, desk.environments.numbered(number));
    return { ...summary, hostKey: host.key, deviceKey: device.key };
  });

  serveRoute(desk, routes.setOrigins, async ({ body, environment, principal }) => {
    const { number } = environment();
    await writer.do('setOrigins', { environment: number, origins: body.origins, by: nameOf(principal) });
    return { origins: body.origins };
  });

  const termsOf = async (place: EnvironmentRow) => {
    const [pruned, { bytes }] = await Promise.all([reader.environments.pruned(place.number), desk.disk()]);
    const { revisions, ofSessions, ofDays, ledger } = termsIn(place.terms);
    return {
      terms: {
        revisions: revisions / hour,
        ofSessions: ofSessions / hour,
        ofDays: ofDays / hour,
        ledger: ledger / hour,
      },
      pruned: pruned.map(({ what, rows, at }) => ({ what, rows, at: rfc3339(at) })),
      bytes,
    };
  };

  serveRoute(desk, routes.terms, async ({ environment }) => termsOf(environment()));

  serveRoute(desk, routes.setTerms, async ({ body, environment, principal }) => {
    const { number } = environment();
    const { revisions, ofSessions, ofDays, ledger } = body;
    if (revisions > ofSessions || ofSessions > ofDays) {
      throw new Refusal('request-invalid', 'Each term lies within the next: revisions, then ofSessions, then ofDays.');
    }
    const terms = {
      revisions: revisions * hour,
      ofSessions: ofSessions * hour,
      ofDays: ofDays * hour,
      ledger: ledger * hour,
    };
    await writer.do('setTerms', { environment: number, terms, by: nameOf(principal) });
    return termsOf(environment());
  });

  const foundByOf = async ({ number }: EnvironmentRow) => {
    const rows = await reader.foundBy.all(number);
    return { foundBy: rows.map(({ of, ready_at }) => ({ of, isReady: ready_at !== null })) };
  };

  serveRoute(desk, routes.foundBy, async ({ environment }) => foundByOf(environment()));

  serveRoute(desk, routes.setFoundBy, async ({ body, environment, principal }) => {
    const place = environment();
    const { rules } = await reader.manifests.newestOf(place);
    const known = new Set((await reader.foundBy.all(place.number)).map(({ of }) => of));
    const of = body.of.map((text) => {
      // What is declared no more may stay until somebody takes it away.
      if (known.has(text)) return text;
      const read = readFoundBy(text, rules.manifest);
      if (isProblem(read)) throw new Refusal(read.problem.code, read.problem.detail, read.problem);
      return foundByInWords(read);
    });
    await writer.do('setFoundBy', { environment: place.number, of, by: nameOf(principal) });
    void desk.takingIn.run();
    return foundByOf(place);
  });

  serveRoute(desk, routes.setPublishers, async ({ body, environment, principal }) => {
    const { number } = environment();
    await writer.do('setDesignersPublish', { environment: number, may: body.designers, by: nameOf(principal) });
    return { designers: body.designers };
  });
}

export async function environmentSummary(reader: Reader, row: EnvironmentRow): Promise<EnvironmentSummary> {
  const title = row.manifest_version === null ? row.game : (await reader.manifests.newestOf(row)).rules.manifest.title;
  return {
    game: row.game,
    title,
    environment: row.name,
    isLive: row.is_live === 1,
    manifestVersion: row.manifest_version,
    origins: row.origins === null ? null : (JSON.parse(row.origins) as string[]),
    designersPublish: row.designers_publish === 1,
  };
}
