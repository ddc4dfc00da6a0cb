/**
 * Load from a process of its own: connections that each send the next request
 * when the last was answered, over plain sockets, so that the sender takes
 * little of the machine. Told what to send by the process that started it.
 */
import { connect, type Socket } from 'node:net';

/** What one connection sends: the nth request, with numbers filled in. */
export interface Sending {
  readonly port: number;
  readonly connections: readonly Connection[];
  readonly milliseconds: number;
}

export interface Connection {
  readonly method: string;
  readonly path: string;
  readonly headers: { readonly [name: string]: string };
  /** `#n` stands for the number of the request, which goes on from `from`; `#p` for the number before. */
  readonly body: string | null;
  readonly from: number;
}

export interface Loaded {
  readonly requests: number;
  readonly milliseconds: number;
  /** How long each took, in milliseconds: the median and the 99th percentile. */
  readonly median: number;
  readonly p99: number;
  /** Answers by status. */
  readonly statuses: { readonly [status: string]: number };
  /** The number that each connection goes on with. */
  readonly next: readonly number[];
}

/** Sends on one connection until the time is up. @returns the number to go on with */
function send(port: number, one: Connection, until: number, took: number[], statuses: { [status: string]: number }) {
  const { method, path, headers, body } = one;
  const fixed = `${method} ${path} HTTP/1.1\r\nHost: bench\r\n${Object.entries(headers)
    .map(([name, value]) => `${name}: ${value}\r\n`)
    .join('')}`;
  return new Promise<number>((resolve, reject) => {
    const socket: Socket = connect(port, '127.0.0.1');
    socket.setNoDelay(true);
    let number = one.from;
    let since = 0;
    let received = '';
    const next = () => {
      if (performance.now() >= until) {
        socket.end();
        return resolve(number);
      }
      since = performance.now();
      if (body === null) socket.write(`${fixed}\r\n`);
      else {
        const text = body.replaceAll('#n', String(number)).replaceAll('#p', String(number - 1));
        socket.write(
          `${fixed}Content-Type: application/json\r\nContent-Length: ${Buffer.byteLength(text)}\r\n\r\n${text}`,
        );
      }
      number++;
    };
    socket.setEncoding('latin1');
    socket.on('data', (text: string) => {
      received += text;
      const end = received.indexOf('\r\n\r\n');
      if (end < 0) return;
      const status = received.slice(9, 12);
      const length = Number(/content-length: (\d+)/i.exec(received.slice(0, end))?.[1] ?? 0);
      if (received.length < end + 4 + length) return;
      statuses[status] = (statuses[status] ?? 0) + 1;
      took.push(performance.now() - since);
      received = '';
      next();
    });
    socket.once('connect', next);
    socket.once('error', reject);
  });
}

process.on('message', (sending: Sending) => {
  const { port, connections, milliseconds } = sending;
  const since = performance.now();
  const took: number[] = [];
  const statuses: { [status: string]: number } = {};
  void Promise.all(connections.map((one) => send(port, one, since + milliseconds, took, statuses))).then((next) => {
    const sorted = Float64Array.from(took).sort();
    const at = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? Number.NaN;
    process.send?.({
      requests: took.length,
      milliseconds: performance.now() - since,
      median: at(0.5),
      p99: at(0.99),
      statuses,
      next,
    } satisfies Loaded);
  });
});
