import type { Manifest } from '@vekkon/core';
import { readManifestFile } from '@vekkon/core/manifest-file';
import { Refusal, routes, type EnvironmentSummary } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow, type Reader } from '@vekkon/store';
import type { IRouter } from 'express';
import { serveRoute, type Desk } from '../serve-route.js';
import { newKey } from './keys.js';

/** Seconds for which a session is promised to its host. In `dev` a breakpoint may stop the game for a while. */
const leaseSeconds = { dev: 900, other: 60 };

/** Games, their environments, and the manifests installed in them. */
export function serveEnvironments(router: IRouter, desk: Desk): void {
  const { reader, writer } = desk;

  serveRoute(router, desk, routes.createEnvironment, async ({ body }) => {
    const manifest =
      body.manifest === undefined ? null : { manifest: readManifest(body.manifest), source: body.manifest };
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
    });
    const summary = await environmentSummary(reader, await reader.environment(number));
    return { ...summary, hostKey: host.key, deviceKey: device.key };
  });

  serveRoute(router, desk, routes.manifest, async ({ environment, request, response }) => {
    const { version, installedAt, rules } = await reader.manifestOf(await environment());
    const tag = `"${version}"`;
    response.set('ETag', tag);
    if (request.get('If-None-Match') === tag) {
      response.status(304).end();
      return undefined;
    }
    return { version, installedAt: rfc3339(installedAt), manifest: rules.manifest };
  });
}

/** The manifest in a file's text; refused with every mistake in it. */
function readManifest(source: string): Manifest {
  const read = readManifestFile(source);
  if ('manifest' in read) return read.manifest;
  const { mistakes } = read;
  const [first] = mistakes;
  throw new Refusal(
    'manifest-invalid',
    `The manifest has ${mistakes.length === 1 ? 'a mistake' : `${mistakes.length} mistakes`}; line ${first?.line}, column ${first?.column}: ${first?.detail}`,
    { mistakes },
  );
}

export async function environmentSummary(reader: Reader, row: EnvironmentRow): Promise<EnvironmentSummary> {
  const title = row.manifest_version === null ? row.game : (await reader.manifestOf(row)).rules.manifest.title;
  return {
    game: row.game,
    title,
    environment: row.name,
    isLive: row.is_live === 1,
    manifestVersion: row.manifest_version,
  };
}
