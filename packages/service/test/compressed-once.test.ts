import { mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { get, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { brotliDecompressSync, gunzipSync, gzipSync } from 'node:zlib';
import express from 'express';
import { expect } from 'chai';
import { compressedOnce, type Pack } from '../src/compressed-once.js';

describe('files that are sent compressed', () => {
  const ridge = 'The ridge is long, and the air is thin. '.repeat(200);
  let folder: string;
  let server: Server;
  let packed: string[];
  let pack: Pack | undefined;
  beforeEach((done) => {
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-files-'));
    writeFileSync(path.join(folder, 'ridge.js'), ridge);
    writeFileSync(path.join(folder, 'short.js'), 'flare();');
    writeFileSync(path.join(folder, 'ridge.png'), ridge);
    packed = [];
    const counting: Pack = async (plain, coding) => {
      packed.push(coding);
      return pack === undefined ? gzipSync(plain) : pack(plain, coding);
    };
    const app = express();
    app.use('/counted', compressedOnce(counting), express.static(folder));
    app.get('/in-pieces', compressedOnce(), (_, response) => {
      response.set({ 'Content-Type': 'text/plain', 'Content-Length': String(ridge.length), ETag: '"ridge"' });
      response.write(ridge.slice(0, 40));
      response.write(Buffer.from(ridge.slice(40, 80)));
      response.end(ridge.slice(80));
    });
    app.get('/at-once', compressedOnce(), (_, response) => {
      response.set({ 'Content-Type': 'text/plain', 'Content-Length': String(ridge.length), ETag: '"ridge"' });
      response.end(Buffer.from(ridge));
    });
    app.use('/', compressedOnce(), express.static(folder));
    server = app.listen(0, '127.0.0.1', () => done());
  });
  afterEach(() => {
    pack = undefined;
    server.close();
    rmSync(folder, { recursive: true });
  });

  /** Past `fetch`, which unpacks by itself. */
  const ask = (route: string, headers: { readonly [name: string]: string }) =>
    new Promise<{ readonly status: number | undefined; readonly headers: IncomingHttpHeaders; readonly body: Buffer }>(
      (resolve, reject) => {
        const { port } = server.address() as AddressInfo;
        get({ host: '127.0.0.1', port, path: route, headers }, (answer) => {
          const chunks: Buffer[] = [];
          answer.on('data', (chunk: Buffer) => chunks.push(chunk));
          answer.once('end', () =>
            resolve({ status: answer.statusCode, headers: answer.headers, body: Buffer.concat(chunks) }),
          );
        }).once('error', reject);
      },
    );

  it('are the file itself, in the best way that is taken, and plain where none is', async () => {
    const ways: readonly [takes: string, coding: string | undefined, unpack: (body: Buffer) => Buffer][] = [
      ['gzip', 'gzip', gunzipSync],
      ['gzip, br', 'br', brotliDecompressSync],
      ['br;q=0, gzip', 'gzip', gunzipSync],
      ['identity', undefined, (body) => body],
      ['', undefined, (body) => body],
    ];
    for (const [takes, coding, unpack] of ways) {
      const { status, headers, body } = await ask('/ridge.js', { 'Accept-Encoding': takes });
      expect([status, headers['content-encoding'], headers['content-length']], takes).to.deep.equal([
        200,
        coding,
        String(body.length),
      ]);
      expect(headers.vary).to.equal('Accept-Encoding');
      expect(unpack(body).toString()).to.equal(ridge);
      if (coding !== undefined) expect(body.length).to.be.lessThan(ridge.length / 10);
    }
  });

  it('are whole however they are written: in pieces, with a last one, or at once', async () => {
    for (const route of ['/in-pieces', '/at-once']) {
      const { headers, body } = await ask(route, { 'Accept-Encoding': 'gzip' });
      expect([headers['content-encoding'], gunzipSync(body).toString()], route).to.deep.equal(['gzip', ridge]);
      expect(String((await ask(route, {})).body), route).to.equal(ridge);
    }
  });

  it('are plain where it is not worth it, in parts, and told as unchanged to whoever has them', async () => {
    const takes = { 'Accept-Encoding': 'gzip' };
    for (const route of ['/short.js', '/ridge.png', '/nothing.js']) {
      expect((await ask(route, takes)).headers['content-encoding'], route).to.equal(undefined);
    }
    const part = await ask('/ridge.js', { ...takes, Range: 'bytes=4-8' });
    expect([part.status, part.headers['content-encoding'], String(part.body)]).to.deep.equal([206, undefined, 'ridge']);
    const { headers } = await ask('/ridge.js', takes);
    const known = await ask('/ridge.js', { ...takes, 'If-None-Match': headers.etag ?? '' });
    expect([known.status, known.body.length]).to.deep.equal([304, 0]);
  });

  it('are compressed once, also where many ask at once, and again when the file is another', async () => {
    const takes = { 'Accept-Encoding': 'gzip' };
    const answers = await Promise.all(Array.from({ length: 20 }, () => ask('/counted/ridge.js', takes)));
    // One file has many names.
    for (const route of ['/counted/ridge.js', '/counted/%72idge.js', '/counted/./ridge.js?again']) {
      answers.push(await ask(route, takes));
    }
    for (const { body } of answers) expect(gunzipSync(body).toString()).to.equal(ridge);
    expect(packed).to.deep.equal(['gzip']);
    const other = ridge.replace('long', 'wide');
    writeFileSync(path.join(folder, 'ridge.js'), other);
    utimesSync(path.join(folder, 'ridge.js'), new Date(), new Date(Date.now() + 5_000));
    expect(gunzipSync((await ask('/counted/ridge.js', takes)).body).toString()).to.equal(other);
    expect(packed).to.deep.equal(['gzip', 'gzip']);
  });

  it('are tried again where compressing failed', async () => {
    const takes = { 'Accept-Encoding': 'gzip' };
    pack = () => Promise.reject(new Error('out of memory'));
    const failed = await ask('/counted/ridge.js', takes).catch((error: NodeJS.ErrnoException) => error.code);
    expect(failed).to.equal('ECONNRESET');
    pack = undefined;
    expect(gunzipSync((await ask('/counted/ridge.js', takes)).body).toString()).to.equal(ridge);
  });

  it('are kept within a bound: what was asked for longest ago is compressed anew', async () => {
    const takes = { 'Accept-Encoding': 'gzip' };
    // As if they became no smaller: three of 12 MiB are more than is kept.
    pack = () => Promise.resolve(Buffer.alloc(12 * 1024 * 1024));
    for (const name of ['a.js', 'b.js', 'c.js']) writeFileSync(path.join(folder, name), `${ridge}${name}`);
    for (const name of ['a.js', 'b.js', 'c.js', 'c.js', 'b.js', 'a.js']) await ask(`/counted/${name}`, takes);
    expect(packed).to.have.length(4);
  });
});
