import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo, type Socket } from 'node:net';
import { setImmediate as nextTurn } from 'node:timers/promises';
import express, { type Response } from 'express';
import { expect } from 'chai';
import { Streams } from '../src/streams.js';

describe('a stream that nobody reads', () => {
  let streams: Streams;
  let server: Server;
  let socket: Socket;
  let response: Response;
  beforeEach(async () => {
    streams = new Streams();
    const app = express();
    const listening = new Promise<Response>((resolve) => {
      app.get('/', (_request, answer) => {
        const shown = { hint: '', scopes: null, credential: 'a-key', expiresAt: null };
        const principal = { sort: 'host', environment: 1, ...shown } as const;
        streams.listen({ environment: 1, host: 'ridge-eu-1', response: answer, principal });
        resolve(answer);
      });
    });
    server = createServer(app).listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    socket = connect((server.address() as AddressInfo).port, '127.0.0.1');
    socket.pause();
    socket.write('GET / HTTP/1.1\r\nHost: x\r\n\r\n');
    response = await listening;
  });
  afterEach(async () => {
    streams.close();
    socket.destroy();
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
  });

  it('is closed before much of it lies unread', async () => {
    const told = { session: 's', seen: 1, records: { 'progress/notes': { revision: 1, value: 'x'.repeat(200_000) } } };
    const most = 200;
    let unread = 0;
    for (let event = 0; event < most && !response.destroyed; event++) {
      streams.tell(1, 'ridge-eu-1', 'outside-change', told);
      unread = Math.max(unread, response.writableLength);
      await nextTurn();
    }
    expect([response.destroyed, unread < 2_000_000]).to.deep.equal([true, true]);
  });

  it('is told nothing after its end, and stops nobody else', async () => {
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
  });
});
