import path from 'node:path';
import express, { type IRouter } from 'express';

const folder = path.resolve(import.meta.dirname, '../pages/account');

/** The pages to which links in mails lead. */
export function serveAccountPages(router: IRouter): void {
  for (const name of ['reset', 'confirm']) {
    router.get(`/account/${name}`, (_request, response) => {
      response.set('Cache-Control', 'no-cache').sendFile(path.join(folder, `${name}.html`));
    });
  }
  router.use('/account', express.static(folder, { index: false, maxAge: '1h' }));
}
