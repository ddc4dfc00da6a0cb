import { request } from 'node:http';
import { gzipSync } from 'node:zlib';
import { expect } from 'chai';
import type { JoinResponse } from '@vekkon/protocol';
import { World } from './world/world.js';

describe('one value without a session', () => {
  let world: World;
  before(async () => {
    world = await World.start();
  });
  after(() => world.close());

  const route = (player: string, key = 'progress/climbs') => `/v1/players/${player}/records/${key}`;

  it('is put and read again, with its revision as ETag', async () => {
    const put = await world.call('PUT', route('p-short'), '17');
    expect(put.body).to.deep.equal({ revision: 1, value: 17 });
    const read = await world.call('GET', route('p-short'));
    expect([read.text, read.headers.get('ETag')]).to.deep.equal(['17', '"1"']);
    const same = await world.call('GET', route('p-short'), undefined, { 'If-None-Match': '"1"' });
    expect(same.status).to.equal(304);
  });

  it('needs no content type', async () => {
    const answer = await world.call('PUT', route('p-plain'), '3', {
      'Content-Type': 'application/x-www-form-urlencoded',
    });
    expect(answer.body).to.deep.equal({ revision: 1, value: 3 });
  });

  it('is what was sent, however its bytes come', async () => {
    const flight = '{"charted":["Grät","尾根","🪂"]}';
    const utf8 = Buffer.from(flight);
    const mark = Buffer.from([0xef, 0xbb, 0xbf]);
    const latin = Buffer.from('{"charted":["Grät"]}', 'latin1');
    const ways: readonly [why: string, headers: { readonly [name: string]: string }, sent: readonly Buffer[]][] = [
      ['whole', {}, [utf8]],
      ['with letters that fall apart', {}, [utf8.subarray(0, 16), utf8.subarray(16, 22), utf8.subarray(22)]],
      ['without its length', { 'Transfer-Encoding': 'chunked' }, [utf8.subarray(0, 16), utf8.subarray(16)]],
      ['behind a mark of the order of bytes', {}, [Buffer.concat([mark, utf8])]],
      ['named as what it is', { 'Content-Type': 'application/json; charset="UTF-8"' }, [utf8]],
      ['in letters of another sort', { 'Content-Type': 'application/json; charset=iso-8859-1' }, [latin]],
      ['compressed', { 'Content-Encoding': 'gzip' }, [gzipSync(utf8)]],
    ];
    for (const [index, [why, headers, sent]] of ways.entries()) {
      const player = `p-bytes-${index}`;
      expect(await putBytes(route(player, 'progress/flight'), headers, sent), why).to.equal(200);
      const { body } = await world.call('GET', route(player, 'progress/flight'));
      const charted = sent[0] === latin ? ['Grät'] : ['Grät', '尾根', '🪂'];
      expect(body, why).to.deep.include({ charted });
    }
  });

  /** Puts a value, its bytes piece by piece. */
  function putBytes(
    path: string,
    headers: { readonly [name: string]: string },
    pieces: readonly Buffer[],
  ): Promise<number | undefined> {
    return new Promise((resolve, reject) => {
      const length = 'Transfer-Encoding' in headers ? {} : { 'Content-Length': Buffer.concat([...pieces]).length };
      const all = { Authorization: `Bearer ${world.hostKey}`, ...length, ...headers };
      const asked = request(world.url + path, { method: 'PUT', headers: all }, (answer) => {
        answer.resume();
        answer.once('end', () => resolve(answer.statusCode));
      });
      asked.once('error', reject);
      asked.setNoDelay(true);
      const send = ([piece, ...others]: readonly Buffer[]): void => {
        if (piece === undefined) asked.end();
        else asked.write(piece, () => setImmediate(send, others));
      };
      send(pieces);
    });
  }

  it('makes no revision of an equal value, however often it is sent', async () => {
    for (let time = 0; time < 3; time++) {
      expect((await world.call('PUT', route('p-equal'), '5')).body).to.deep.equal({ revision: 1, value: 5 });
    }
    expect((await world.call('PUT', route('p-equal'), '6')).body).to.deep.equal({ revision: 2, value: 6 });
  });

  it('may have members named as what every object has', async () => {
    const open = await World.start({
      manifest:
        'manifest: 1\ngame: highfell-gliders\nprogress: { chart: { schema: { type: object, default: {} } }, climbs: 0 }\n',
    });
    const put = (value: object) => open.call('PUT', route('p-1', 'progress/chart'), value);
    expect((await put({ valueOf: 1, toString: null })).body).to.have.property('revision', 1);
    expect((await put({ toString: null, valueOf: 1 })).body).to.have.property('revision', 1);
    expect((await put({ valueOf: 2 })).body).to.have.property('revision', 2);
    expect(open.faults()).to.deep.equal([]);
    await open.close();
  });

  it('waits for a player who never joined, who is new all the same', async () => {
    await world.call('PUT', route('p-waits'), '9');
    const { body } = await world.call('POST', '/v1/players/p-waits/join', { host: 'ridge-eu-1' });
    const joined = body as JoinResponse;
    expect(joined.player.isNew).to.equal(true);
    expect(joined.records['progress/climbs']).to.deep.equal({ revision: 1, value: 9 });
    expect(joined.records['currency/feather']).to.deep.equal({ revision: 1, value: 40 });
  });

  it('is replaced in a session only by who says what they replace', async () => {
    await world.joinPlainly('p-busy');
    expect((await world.call('PUT', route('p-busy'), '4')).status).to.equal(428);
    expect((await world.call('PUT', route('p-busy'), '4', { 'If-Match': '"1"' })).body).to.deep.equal({
      revision: 2,
      value: 4,
    });
    expect((await world.call('PUT', route('p-busy'), '5', { 'If-Match': '"1"' })).status).to.equal(412);
  });

  it('may belong to a family, by any name', async () => {
    const key = `progress/glider/${encodeURIComponent('シギ')}`;
    await world.call('PUT', route('p-family', key), { span: 9 });
    const { body } = await world.call('GET', route('p-family', key));
    expect(body).to.deep.equal({ span: 9, cloth: 'paper', wear: 0 });
  });
});

describe('players', () => {
  let world: World;
  before(async () => {
    world = await World.start();
    for (const [player, name] of [
      ['p-1', 'Maren Holt'],
      ['p-2', 'Tobin Vane'],
      ['p-3', '100% Wren'],
    ]) {
      await world.call('POST', `/v1/players/${player}/join`, { host: 'ridge-eu-1', name });
    }
  });
  after(() => world.close());

  it('are found by a part of their name or id, in any case', async () => {
    const found = async (search: string) => (await world.operator.players({ search })).players.map(({ id }) => id);
    expect(await found('maren')).to.deep.equal(['p-1']);
    expect(await found('P-')).to.have.members(['p-1', 'p-2', 'p-3']);
    expect(await found('%')).to.deep.equal(['p-3']);
    expect(await found('nobody')).to.deep.equal([]);
  });

  it('come in pages, those who joined last first', async () => {
    const first = await world.operator.players({ count: 2 });
    const second = await world.operator.players({ count: 2, after: first.next! });
    expect([...first.players, ...second.players].map(({ id }) => id)).to.deep.equal(['p-3', 'p-2', 'p-1']);
    expect([first.total, second.next]).to.deep.equal([3, null]);
  });
});
