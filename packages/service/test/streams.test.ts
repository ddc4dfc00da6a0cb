import { createServer } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { setImmediate as nextTurn } from 'node:timers/promises';
import express, { type Response } from 'express';
import { expect } from 'chai';
import { Streams } from '../src/streams.js';

describe('a stream that nobody reads', () => {
  it('is told nothing after its end, and stops nobody else', async () => {
    const streams = new Streams();
    const app = express();
    const listening = new Promise<Response>((resolve) => {
      app.get('/', (_request, response) => {
        const principal = { sort: 'host', environment: 1, hint: '', credential: 'a-key', expiresAt: null } as const;
        streams.listen({ environment: 1, host: 'ridge-eu-1', response, principal });
        resolve(response);
      });
    });
    const server = createServer(app).listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    const socket = connect((server.address() as AddressInfo).port, '127.0.0.1');
    socket.pause();
    socket.write('GET / HTTP/1.1\r\nHost: x\r\n\r\n');
    const response = await listening;
    const told = { session: 's', seen: 1, records: { 'progress/notes': { revision: 1, value: 'x'.repeat(200_000) } } };
    while (response.writableLength === 0) {
      streams.tell(1, 'ridge-eu-1', 'outside-change', told);
      await nextTurn();
    }
    streams.heed({ what: 'credential-over', hash: 'a-key' });
    expect([response.writableEnded, response.writableFinished]).to.deep.equal([true, false]);
    const failed = new Promise<string>((resolve) => response.once('error', (error) => resolve(error.message)));
    streams.tell(1, 'ridge-eu-1', 'save-now', { session: 's' });
    const outcome = await Promise.race([failed, nextTurn().then(() => nextTurn('nothing failed'))]);
    expect(outcome).to.equal('nothing failed');
    streams.close();
    socket.destroy();
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
  });
});
