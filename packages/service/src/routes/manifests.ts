import { placeInFile, playersPart, type Manifest } from '@vekkon/core';
import { fileWithLearned } from '@vekkon/core/manifest-edits';
import { Refusal, routes, type ManifestResponse } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow } from '@vekkon/store';
import { isOnDevice, nameOf } from '../access.js';
import { installManifest } from '../install-manifest.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** The manifests of an environment: read, checked, compared, installed, learned. */
export function serveManifests(desk: Desk): void {
  const { reader, longReads, writer, manifests } = desk;

  serveRoute(desk, routes.manifest, async ({ query, environment, principal, request, response }) => {
    const place = environment();
    const installed = await reader.manifests.version(place, query.version);
    const learns = place.learns === 1;
    const newest = place.manifest_version ?? installed.version;
    // Of all that is answered: a browser asks again only with this.
    const tag = `"${installed.version}.${newest}.${installed.learned}${learns ? '.learns' : ''}"`;
    response.set('ETag', tag);
    if (request.get('If-None-Match') === tag) {
      response.status(304).end();
      return undefined;
    }
    return {
      version: installed.version,
      newest,
      learns,
      installedAt: rfc3339(installed.installedAt),
      manifest: isOnDevice(principal) ? playersPart(installed.rules.manifest) : installed.rules.manifest,
    } satisfies ManifestResponse;
  });

  serveRoute(desk, routes.manifestVersions, async ({ environment }) => {
    const rows = await reader.manifests.versions(environment().number);
    return {
      versions: rows.map(({ version, installed_at, by }) => ({ version, installedAt: rfc3339(installed_at), by })),
    };
  });

  serveRoute(desk, routes.manifestFile, async ({ query, environment }) => {
    const place = environment();
    const { version } = await reader.manifests.version(place, query.version);
    const rows = await reader.manifests.learnedBy(place.number);
    const learned = rows.map((row) => {
      const [section, name] = row.section === 'items' ? ['items', row.name] : placeInFile(row.name);
      return { section, name, declaration: JSON.parse(row.declaration), at: rfc3339(row.at), by: row.by };
    });
    const source = await reader.manifests.source(place.number, version);
    return {
      version,
      text: fileWithLearned(source, learned),
      learned: learned.map(({ section, name, at, by }) => ({ section, name, at, by })),
    };
  });

  serveRoute(desk, routes.checkManifest, async ({ body, principal }) => {
    const read = await manifests.read(body.manifest, nameOf(principal));
    return { mistakes: 'mistakes' in read ? [...read.mistakes] : [] };
  });

  serveRoute(desk, routes.diffManifest, async ({ body, environment, principal }) => {
    const place = environment();
    const manifest = await manifests.manifestIn(body.manifest, nameOf(principal));
    checkGame(manifest, place);
    return { installed: place.manifest_version, ...(await longReads.diff(place, manifest)) };
  });

  serveRoute(desk, routes.installManifest, async ({ body, environment, principal }) => {
    const { manifest: source, acceptMisfits } = body;
    const by = nameOf(principal);
    const manifest = await manifests.manifestIn(source, by);
    return installManifest(desk, environment, { manifest, source, acceptMisfits, by });
  });

  serveRoute(desk, routes.setLearning, async ({ body, environment, principal }) => {
    const { number } = environment();
    await writer.do('setLearning', { environment: number, learns: body.learns, by: nameOf(principal) });
    return { learns: body.learns };
  });

  serveRoute(desk, routes.misfits, async ({ query, environment }) => {
    const found = await longReads.misfits(environment(), query.count + 1);
    return { misfits: found.slice(0, query.count), hasMore: found.length > query.count };
  });
}

function checkGame({ game }: Manifest, place: EnvironmentRow): void {
  if (game === place.game) return;
  throw new Refusal(
    'manifest-is-other-game',
    `This manifest is of "${game}", and the environment is ${place.game}/${place.name}.`,
  );
}
