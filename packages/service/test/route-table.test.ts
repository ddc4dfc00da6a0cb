import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import express from 'express';
import { expect } from 'chai';
import { RouteTable } from '../src/route-table.js';

describe('the table of routes', () => {
  let server: Server;
  let url: string;
  before((done) => {
    const table = new RouteTable();
    const route = (method: string, path: string) =>
      table.add(method, path, async (request, response) => {
        response.json({ path, ...request.params, query: request.query['count'] ?? null });
      });
    route('get', '/v1/players');
    route('get', '/v1/players/{player}');
    route('post', '/v1/players/read');
    route('get', '/v1/players/{player}/records/{key}');
    route('put', '/v1/players/{player}/records/{key}');
    route('get', '/v1/players/{player}/sessions');
    const app = express();
    app.get('/elsewhere', (_request, response) => void response.json({ path: 'in Express' }));
    app.use((_request, response) => void response.status(404).json({ path: null }));
    const { answer, messages } = table.listener(
      app,
      (response) => response.setHeader('X-Request-Id', 'made-up'),
      (error, _request, response) => void response.status(400).json({ path: (error as Error).name }),
    );
    server = createServer(messages, answer).listen(0, '127.0.0.1', () => {
      url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
      done();
    });
  });
  after(() => server.close());

  const call = async (method: string, path: string) => {
    const response = await fetch(url + path, { method });
    expect(response.headers.get('X-Request-Id')).to.equal('made-up');
    return method === 'HEAD' ? response.status : response.json();
  };

  it('finds each by its segments, with what stands in them decoded', async () => {
    const query = null;
    expect(await call('GET', '/v1/players?count=3')).to.deep.equal({ path: '/v1/players', query: '3' });
    expect(await call('GET', '/v1/players/p%2010')).to.deep.equal({
      path: '/v1/players/{player}',
      player: 'p 10',
      query,
    });
    expect(await call('GET', '/v1/players/p-1/records/progress/glider/Gull%20Valley')).to.deep.equal({
      path: '/v1/players/{player}/records/{key}',
      player: 'p-1',
      key: 'progress/glider/Gull Valley',
      query,
    });
    expect(await call('GET', '/v1/players/p-1/sessions/')).to.include({ path: '/v1/players/{player}/sessions' });
    expect(await call('HEAD', '/v1/players')).to.equal(200);
  });

  it('takes a name in the path for a player where no route of that name has the method', async () => {
    expect(await call('POST', '/v1/players/read')).to.include({ path: '/v1/players/read' });
    expect(await call('GET', '/v1/players/read')).to.include({ path: '/v1/players/{player}', player: 'read' });
    expect(await call('GET', '/v1/players/read/sessions')).to.include({ player: 'read' });
  });

  it('leaves to Express what it does not know, and says what is wrong about a path', async () => {
    expect(await call('GET', '/elsewhere')).to.deep.equal({ path: 'in Express' });
    for (const path of ['/v1/players//records/x', '/v1/players/p-1/records/', '/v1', '/']) {
      expect(await call('GET', path), path).to.deep.equal({ path: null });
    }
    expect(await call('DELETE', '/v1/players')).to.deep.equal({ path: null });
    expect(await call('GET', '/v1/players/%E0%A4%A')).to.deep.equal({ path: 'URIError' });
  });
});
