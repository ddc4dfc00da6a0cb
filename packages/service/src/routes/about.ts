import { manifestSchema } from '@vekkon/core/manifest-edits';
import { openApiDocument, problemCatalogue, Refusal, routes } from '@vekkon/protocol';
import type { IRouter } from 'express';
import { preparedJson } from '../prepared-json.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** What the service says of itself. */
export function serveAbout(router: IRouter, desk: Desk, version: string): void {
  serveRoute(desk, routes.health, async () => ({ status: 'up' }));

  serveRoute(desk, routes.ready, async () => {
    if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
    await desk.reader.access.hasOperator();
    // After a commit that failed, find out whether it would now.
    if (!desk.writer.isWritable) await desk.writer.do('probe', {});
    const notes = desk.notes();
    return { status: 'ready', migration: desk.migration, ...(notes.length > 0 && { notes: [...notes] }) };
  });

  serveRoute(desk, routes.problems, async () => ({
    problems: Object.entries(problemCatalogue).map(([code, entry]) => ({ code, ...entry })),
  }));

  // For editors, which then know what may be written in a manifest.
  router.get('/manifest.schema.json', ...preparedJson(manifestSchema));

  router.get('/openapi.json', ...preparedJson(openApiDocument(version)));
}
