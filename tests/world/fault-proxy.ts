import { createServer, request as forward, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

/** What becomes of one request. */
export type Fate =
  | 'pass'
  | 'drop-request'
  | 'drop-response'
  | 'double'
  | 'cut-response'
  | { readonly delay: number }
  /** It goes on when the promise resolves. */
  | { readonly until: Promise<void> }
  /** The proxy answers in the service's place. */
  | { readonly answer: object };

/** Stands between a host and the service and does to each request what the fate says. */
export class FaultProxy {
  /** Decides over each request; everything passes until somebody says otherwise. */
  fate: (request: IncomingMessage) => Fate = () => 'pass';
  target: string;
  /** How many requests were ever held until something happens. */
  held = 0;
  readonly #server: Server;
  readonly #streams = new Set<ServerResponse>();

  private constructor(target: string) {
    this.target = target;
    this.#server = createServer((request, response) => void this.#serve(request, response));
  }

  static async start(target: string): Promise<FaultProxy> {
    const proxy = new FaultProxy(target);
    await new Promise<void>((resolve) => proxy.#server.listen(0, '127.0.0.1', resolve));
    return proxy;
  }

  get url(): string {
    return `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}`;
  }

  /** The next requests whose path matches meet a fate, one after the other; all others pass. */
  next(path: RegExp, ...fates: Fate[]): void {
    this.fate = (request) => (path.test(request.url ?? '') ? (fates.shift() ?? 'pass') : 'pass');
  }

  /** Ends every stream that is open. */
  cutStreams(): void {
    for (const stream of this.#streams) stream.destroy();
  }

  async close(): Promise<void> {
    this.#server.closeAllConnections();
    await new Promise((resolve) => this.#server.close(resolve));
  }

  async #serve(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const fate = this.fate(request);
    if (fate === 'drop-request') return void request.socket.destroy();
    const chunks: Buffer[] = [];
    for await (const chunk of request) chunks.push(chunk as Buffer);
    const body = Buffer.concat(chunks);
    if (typeof fate === 'object' && 'delay' in fate) await new Promise((resolve) => setTimeout(resolve, fate.delay));
    if (typeof fate === 'object' && 'until' in fate) {
      this.held++;
      await fate.until;
    }
    if (typeof fate === 'object' && 'answer' in fate) {
      response.writeHead(200, { 'Content-Type': 'application/json' });
      return void response.end(JSON.stringify(fate.answer));
    }
    try {
      if (request.url?.includes('/stream')) return this.#stream(request, response);
      if (fate === 'double') await this.#send(request, body);
      const answer = await this.#send(request, body);
      if (fate === 'drop-response') return void request.socket.destroy();
      response.writeHead(answer.status, answer.headers);
      if (fate === 'cut-response') {
        response.write(answer.body.subarray(0, answer.body.length / 2), () => request.socket.destroy());
      } else {
        response.end(answer.body);
      }
    } catch {
      request.socket.destroy();
    }
    return undefined;
  }

  #send(request: IncomingMessage, body: Buffer) {
    return new Promise<{ status: number; headers: IncomingMessage['headers']; body: Buffer }>((resolve, reject) => {
      const { method, headers } = request;
      const out = forward(this.target + (request.url ?? ''), { method, headers }, (answer) => {
        const parts: Buffer[] = [];
        answer.on('data', (part: Buffer) => parts.push(part));
        answer.on('error', reject);
        answer.on('end', () =>
          resolve({ status: answer.statusCode ?? 502, headers: answer.headers, body: Buffer.concat(parts) }),
        );
      });
      out.on('error', reject);
      out.end(body);
    });
  }

  #stream(request: IncomingMessage, response: ServerResponse): void {
    const { method, headers } = request;
    const out = forward(this.target + (request.url ?? ''), { method, headers }, (answer) => {
      response.writeHead(answer.statusCode ?? 502, answer.headers);
      answer.pipe(response);
    });
    out.on('error', () => request.socket.destroy());
    this.#streams.add(response);
    response.on('close', () => {
      this.#streams.delete(response);
      out.destroy();
    });
    out.end();
  }
}
