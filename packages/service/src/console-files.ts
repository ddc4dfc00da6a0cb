import { existsSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import express, { type IRouter } from 'express';

/** Serves the built console at /console, whose own paths all lead to its one page; and at /docs the page on which the calls are read. */
export function serveConsole(router: IRouter): void {
  const console = path.dirname(createRequire(import.meta.url).resolve('@vekkon/console/package.json'));
  const page = path.join(console, 'dist/index.html');
  if (!existsSync(page)) return;
  const assets = path.join(path.dirname(page), 'assets');
  router.use('/console/assets', express.static(assets, { immutable: true, maxAge: '1y', fallthrough: false }));
  router.get(['/console', '/console/*path'], (_request, response) => {
    response.set('Cache-Control', 'no-cache').sendFile(page);
  });
  router.get('/docs', (_request, response) => {
    response.set('Cache-Control', 'no-cache').sendFile(path.join(console, 'dist/docs.html'));
  });
  router.get('/', (_request, response) => response.redirect('/console/'));
}
