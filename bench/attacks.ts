/** Who misbehaves, one way after the other: run by `calm.ts` as a process of its own. */
import { connect, type Socket } from 'node:net';
import { constants, setPriority } from 'node:os';
import { setTimeout as pause } from 'node:timers/promises';

export interface Aim {
  readonly url: string;
  readonly hostKey: string;
  readonly deviceKey: string;
  readonly operatorToken: string;
  readonly pid: number;
}

/** Whoever attacks is elsewhere, and an answer takes its time to get there. */
const onTheWay = 20;

type Call = (method: string, route: string, key: string, body?: unknown, more?: object) => Promise<unknown>;

/** Each is begun over and over, by as many at once as it says. */
interface Attack {
  readonly atOnce: number;
  /** Made once, before. */
  readonly prepare?: (call: Call, aim: Aim) => Promise<unknown>;
  readonly attack: (call: Call, aim: Aim, prepared: never, turn: number) => Promise<unknown>;
}

const secretOf = (turn: number) => `a-secret-of-forty-characters-for-a-device-${turn}-${process.pid}`;

async function device(call: Call, { deviceKey }: Aim, turn = 0) {
  const made = (await call('POST', '/v1/devices', deviceKey, { secret: secretOf(turn) })) as { token: string };
  if (made.token === undefined) throw new Error(`No device: ${JSON.stringify(made)}`);
  const joined = (await call('POST', '/v1/me/join', made.token, { host: 'tab' })) as { session: { id: string } };
  return { token: made.token, session: joined.session.id };
}

interface OnDevice {
  readonly token: string;
  readonly session: string;
}

const head = 'manifest: 1\ngame: highfell-gliders\nprogress:\n';
const pattern = (index: number) => `'^([a-z]|[0-9]|x${index}){1,100}[a-z]*$'`;
const costly = `${head}${Array.from({ length: 10 }, (_, index) => `  p${index}: { schema: { type: string, pattern: ${pattern(index)}, default: '' } }\n`).join('')}`;

export const attacks: { readonly [name: string]: Attack } = {
  'unsettled of one player': {
    atOnce: 4,
    prepare: async (call, { hostKey }) => {
      const sessions: { id: string; number: number }[] = [];
      for (let index = 0; index < 4; index++) {
        const joined = await call('POST', `/v1/players/p-flood-${index}/join`, hostKey, { host: 'ridge-eu-2' });
        sessions.push({ id: (joined as { session: { id: string } }).session.id, number: 1 });
      }
      return sessions;
    },
    attack: async (call, { hostKey }, sessions: { id: string; number: number }[], turn) => {
      const session = sessions[turn % 4];
      if (session === undefined) return;
      const changes = [{ op: 'credit', key: 'currency/feather', amount: 900_000, reason: `climb ${turn}` }];
      const transactions = Array.from({ length: 20 }, () => ({ keep: true, label: `no. ${turn % 90}`, changes }));
      await call('POST', `/v1/sessions/${session.id}/saves`, hostKey, { number: session.number++, transactions });
    },
  },
  'costly manifests': {
    atOnce: 3,
    attack: (call, { operatorToken }) => call('POST', '/v1/manifest/check', operatorToken, { manifest: costly }),
  },
  'unknown member names': {
    atOnce: 2,
    prepare: device,
    attack: (call, _aim, { token }: OnDevice) => {
      const names = Array.from({ length: 50_000 }, (_, index) => [`m${index}`, 0]);
      return call('POST', '/v1/saves', token, { saves: [], ...Object.fromEntries(names) });
    },
  },
  'large reads at once': {
    atOnce: 200,
    prepare: async (call, aim) => {
      const { token, session } = await device(call, aim);
      for (let index = 1; index <= 12; index++) {
        await call('PUT', `/v1/players/p-large-${index}/records/progress/chart`, aim.hostKey, 'x'.repeat(240_000));
      }
      return { token, session };
    },
    attack: (call, { hostKey }) => {
      const players = Array.from({ length: 12 }, (_, index) => `p-large-${index + 1}`);
      return call('POST', '/v1/players/read', hostKey, { players, keys: ['progress/chart', 'progress/flight'] });
    },
  },
  'calls of one device': {
    atOnce: 64,
    prepare: device,
    attack: (call, _aim, { token }: OnDevice) => call('GET', '/v1/me', token),
  },
  'notes that fill the disk': {
    atOnce: 1,
    prepare: device,
    attack: (call, _aim, { token, session }: OnDevice, turn) => {
      const transactions = Array.from({ length: 60 }, (_, index) => ({
        changes: [{ op: 'submit', key: 'score/valley/Gull', value: 60 + index, note: 'x'.repeat(1_000) }],
      }));
      return call('POST', `/v1/sessions/${session}/saves`, token, { number: turn + 1, answered: turn, transactions });
    },
  },
  streams: {
    atOnce: 50,
    prepare: device,
    attack: async (_call, { url }, { token, session }: OnDevice) => {
      // Opened and never read.
      await fetch(`${url}/v1/sessions/${session}/stream`, { headers: { Authorization: `Bearer ${token}` } });
    },
  },
  'half a body': {
    atOnce: 100,
    prepare: async () => [],
    attack: (_call, { url, hostKey }, sockets: Socket[]) =>
      new Promise((resolve) => {
        const socket = connect(Number(new URL(url).port), '127.0.0.1', () => {
          socket.write(
            `POST /v1/saves HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${hostKey}\r\nContent-Length: 90\r\n\r\n{`,
          );
          sockets.push(socket);
          setTimeout(resolve, 200);
        });
        socket.once('error', () => resolve(undefined));
      }),
  },
  'wrong passwords': {
    atOnce: 8,
    attack: (call, _aim, _prepared, turn) =>
      call('POST', '/v1/sign-in', '', { email: `pilot-${turn % 40}@highfell.example`, password: 'wrong' }),
  },
  'made-up credentials': {
    atOnce: 16,
    attack: (call, _aim, _prepared, turn) => call('GET', '/v1/players/p-1', `vkh_made-up-${turn}`),
  },
  'broken encodings': {
    atOnce: 8,
    attack: (call, { hostKey }) => call('POST', '/v1/saves', hostKey, 'x', { 'Content-Encoding': 'gzip' }),
  },
  'credits beside a long ledger': {
    atOnce: 2,
    prepare: async (call, { hostKey }) => {
      const joined = await call('POST', '/v1/players/p-ledger/join', hostKey, { host: 'ridge-eu-3' });
      const { session } = joined as { session: { id: string } };
      const changes = Array.from({ length: 1_000 }, () => ({
        op: 'credit',
        key: 'currency/feather',
        amount: 1,
        reason: 'tap',
      }));
      for (let number = 1; number <= 4; number++) {
        await call('POST', `/v1/sessions/${session.id}/saves`, hostKey, { number, transactions: [{ changes }] });
      }
      return { id: session.id, number: 5 };
    },
    attack: (call, { hostKey }, session: { id: string; number: number }) => {
      const changes = [{ op: 'credit', key: 'currency/feather', amount: 1, reason: 'tap' }];
      return call('POST', `/v1/sessions/${session.id}/saves`, hostKey, {
        number: session.number++,
        transactions: [{ changes }],
      });
    },
  },
  'new devices': {
    atOnce: 8,
    attack: (call, { deviceKey }, _prepared, turn) =>
      call('POST', '/v1/devices', deviceKey, { secret: secretOf(turn + 10) }),
  },
};

if (process.send !== undefined) await run(process.argv[2] ?? '', JSON.parse(process.argv[3] ?? '{}') as Aim);

async function run(name: string, aim: Aim): Promise<void> {
  // Elsewhere they would not share a processor with the calm player.
  setPriority(constants.priority.PRIORITY_LOW);
  const known = attacks[name];
  if (known === undefined) throw new Error(`Nobody knows the attack "${name}".`);
  const { atOnce, prepare, attack } = known;
  const statuses = new Map<string, number>();
  const call: Call = async (method, route, key, body, more = {}) => {
    const headers = { Authorization: `Bearer ${key}`, ...more };
    const response = await fetch(aim.url + route, {
      method,
      headers,
      ...(body !== undefined && { body: JSON.stringify(body) }),
    });
    statuses.set(String(response.status), (statuses.get(String(response.status)) ?? 0) + 1);
    const text = await response.text();
    return text.length < 100_000 && text.startsWith('{') ? (JSON.parse(text) as unknown) : undefined;
  };
  const prepared = (await prepare?.(call, aim)) as never;
  statuses.clear();
  let [isOver, turn] = [false, 0];
  process.once('message', () => {
    isOver = true;
    process.send?.(
      `${turn} tries: ${[...statuses].map(([status, many]) => `${many} × ${status}`).join(', ') || 'no answers'}`,
    );
  });
  process.send?.('ready');
  await Promise.all(
    Array.from({ length: atOnce }, async () => {
      while (!isOver) {
        await attack(call, aim, prepared, turn++).catch(() => undefined);
        await pause(onTheWay);
      }
    }),
  );
}
