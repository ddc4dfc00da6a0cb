import { existsSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import cors from 'cors';
import type { IRouter } from 'express';

/** Serves VekkonPlayer as one file, so that a page can import it from where it saves. */
export function servePlayerFile(router: IRouter): void {
  const client = path.dirname(createRequire(import.meta.url).resolve('@vekkon/client/package.json'));
  for (const name of ['vekkon-player.js', 'vekkon-player.js.map']) {
    const file = path.join(client, 'dist/browser', name);
    if (!existsSync(file)) continue;
    router.get(`/${name}`, cors(), (_request, response) => {
      response
        .set({ 'Cache-Control': 'no-cache', ...(name.endsWith('.js') && { SourceMap: `${name}.map` }) })
        .sendFile(file);
    });
  }
}
