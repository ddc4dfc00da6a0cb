import { readFileSync, renameSync, writeFileSync, mkdtempSync, rmSync } from 'node:fs';
import { request } from 'node:https';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { connect } from 'node:tls';
import { expect } from 'chai';
import { generate } from 'selfsigned';
import { openLog, startService, type Service } from '@vekkon/service';
import { until } from './world/until.js';

/** Writes a certificate for this machine with its key; @returns the certificate */
async function issue(folder: string): Promise<string> {
  const names = [{ type: 7 as const, ip: '127.0.0.1' }];
  const { cert, private: key } = await generate([{ name: 'commonName', value: 'highfell.example' }], {
    extensions: [{ name: 'subjectAltName', altNames: names }],
  });
  // Each at once, as a program that renews them does.
  for (const [name, text] of [
    ['key.pem', key],
    ['certificate.pem', cert],
  ] as const) {
    writeFileSync(path.join(folder, `${name}.new`), text, { mode: 0o600 });
    renameSync(path.join(folder, `${name}.new`), path.join(folder, name));
  }
  return cert;
}

describe('a service with a certificate of its own', () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-tls-'));
  const files = { certificate: path.join(folder, 'certificate.pem'), privateKey: path.join(folder, 'key.pem') };
  const log = () => readFileSync(path.join(folder, 'log'), 'utf8');
  let service: Service;
  let certificate: string;
  before(async () => {
    certificate = await issue(folder);
    service = await startService({
      ...{
        data: path.join(folder, 'data'),
        port: 0,
        listen: '127.0.0.1',
        log: openLog('json', path.join(folder, 'log')),
      },
      certificate: { ...files, lookEvery: 20 },
    });
  });
  after(async () => {
    await service.close();
    rmSync(folder, { recursive: true });
  });

  const get = (route: string, ca: string) =>
    new Promise<{ status: number; headers: NodeJS.Dict<string | string[]> }>((resolve, reject) => {
      request(service.url + route, { ca, agent: false }, (response) => {
        response.resume();
        resolve({ status: response.statusCode ?? 0, headers: response.headers });
      })
        .on('error', reject)
        .end();
    });

  it('speaks TLS, and tells browsers never to come without', async () => {
    expect(service.url).to.match(/^https:/);
    const { status, headers } = await get('/console/', certificate);
    expect(status).to.equal(200);
    expect(headers['strict-transport-security']).to.match(/^max-age=31536000/);
    expect(headers['content-security-policy']).to.contain('upgrade-insecure-requests');
    expect(service.firstAdminLink).to.match(/^https:/);
  });

  it('takes nothing older than TLS 1.2', async () => {
    const port = Number(new URL(service.url).port);
    const error = await new Promise<Error>((resolve, reject) => {
      const options = { port, host: '127.0.0.1', ca: certificate, minVersion: 'TLSv1', maxVersion: 'TLSv1.1' } as const;
      connect({ ...options, ciphers: 'DEFAULT@SECLEVEL=0' }, () => reject(new Error('It was taken.'))).once(
        'error',
        resolve,
      );
    });
    expect(error.message).to.match(/protocol version/i);
  });

  it('takes up a certificate that was renewed, and keeps the one before where the new one can’t be used', async () => {
    writeFileSync(files.certificate, 'no certificate at all');
    await until(async () => log().includes('used on'));
    expect((await get('/health', certificate)).status).to.equal(200);
    const renewed = await issue(folder);
    await until(async () => (await get('/health', renewed).catch(() => undefined))?.status === 200);
    const old = await get('/health', certificate).catch((error: NodeJS.ErrnoException) => error.code);
    expect(old).to.be.oneOf([
      'DEPTH_ZERO_SELF_SIGNED_CERT',
      'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
      'ERR_SSL_WRONG_SIGNATURE_TYPE',
      'CERT_SIGNATURE_FAILURE',
    ]);
  });

  it('says at the start what is wrong with its files', async () => {
    const missing = { certificate: path.join(folder, 'nowhere.pem'), privateKey: files.privateKey };
    const options = {
      data: path.join(folder, 'other'),
      port: 0,
      listen: '127.0.0.1',
      log: openLog('json', path.join(folder, 'log')),
    };
    const error = await startService({ ...options, certificate: missing }).catch((problem: Error) => problem);
    expect((error as Error).message).to.match(
      /^The certificate .*nowhere\.pem with the key .*key\.pem can't be used: ENOENT/,
    );
  });
});
