import path from 'node:path';
import express, { type IRouter } from 'express';
import { returnFromProvider, returnPath } from './accounts/return-page.js';
import type { Desk } from './serve-route.js';

const folder = path.resolve(import.meta.dirname, '../pages/account');

/** The pages to which links in mails lead, and identity providers. */
export function serveAccountPages(router: IRouter, desk: Desk): void {
  router.get(returnPath, returnFromProvider(desk));
  for (const name of ['reset', 'confirm', 'returned']) {
    router.get(`/account/${name}`, (_request, response) => {
      response.set('Cache-Control', 'no-cache').sendFile(path.join(folder, `${name}.html`));
    });
  }
  router.use('/account', express.static(folder, { index: false, maxAge: '1h' }));
}
