import type { HostEvents } from '@vekkon/protocol';
import type { Response } from 'express';

const heartbeatMilliseconds = 15_000;
/** What a reader may leave unread before it is let go: it will come back and renew. */
const mostUnreadBytes = 1024 * 1024;

interface Listening {
  readonly response: Response;
  readonly session: string | undefined;
}

/** The streams on which hosts listen: server-sent events (WHATWG HTML). */
export class Streams {
  readonly #open = new Map<string, Set<Listening>>();
  readonly #heart: NodeJS.Timeout;

  constructor() {
    // A comment now and then, so that proxies do not cut what is quiet.
    this.#heart = setInterval(() => {
      for (const listeners of this.#open.values()) for (const one of listeners) send(one.response, ': still here\n\n');
    }, heartbeatMilliseconds);
    this.#heart.unref();
  }

  /**
   * Answers a request with a stream, for as long as its sender listens.
   *
   * @param session the only one to be told of; all of the host's if left out
   */
  listen(environment: number, host: string, response: Response, session?: string): void {
    const name = `${environment}/${host}`;
    const listeners = this.#open.get(name) ?? new Set();
    const listening = { response, session };
    this.#open.set(name, listeners.add(listening));
    response.on('close', () => {
      listeners.delete(listening);
      if (listeners.size === 0 && this.#open.get(name) === listeners) this.#open.delete(name);
    });
    response.status(200).set({ 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store' });
    response.flushHeaders();
    send(response, ': listening\n\n');
  }

  tell<Name extends keyof HostEvents>(environment: number, host: string, event: Name, data: HostEvents[Name]): void {
    for (const { response, session } of this.#open.get(`${environment}/${host}`) ?? []) {
      if (session !== undefined && session !== data.session) continue;
      send(response, `event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
    }
  }

  isListening(environment: number, host: string): boolean {
    return this.#open.has(`${environment}/${host}`);
  }

  /** The service stops: every listener is let go. */
  close(): void {
    clearInterval(this.#heart);
    for (const listeners of this.#open.values()) for (const one of listeners) one.response.end();
  }
}

function send(response: Response, text: string): void {
  if (response.writableLength > mostUnreadBytes) response.destroy();
  else response.write(text);
}
