import { Refusal, type HostEvents } from '@vekkon/protocol';
import type { FeedEvent } from '@vekkon/store';
import type { Response } from 'express';
import type { Principal } from './access.js';

const heartbeatMilliseconds = 15_000;
/** What a reader may leave unread before it is let go: it will come back and renew. */
const mostUnreadBytes = 1024 * 1024;
/** How many heartbeats may lie unread: then nobody reads. */
const mostUnreadHeartbeats = 3;
/** How many streams one device, one host, and one key may have open. */
const mostOfOne = 4;
const mostOfKey = 2_000;

interface Listening {
  readonly response: Response;
  readonly session: string | undefined;
  /** The device, or the host under its key: of its streams the oldest gives way to one too many. */
  readonly owner: string;
  readonly credential: string;
  readonly expiresAt: number | null;
  /** Heartbeats since it last read all that was sent. */
  unread: number;
}

/** Who listens, to what, and until when. */
export interface Listener {
  readonly environment: number;
  readonly host: string;
  readonly response: Response;
  readonly principal: Extract<Principal, { readonly sort: 'host' | 'device' }>;
  /** The only session to be told of; all of the host's if left out. */
  readonly session?: string;
}

/** The streams on which hosts listen: server-sent events (WHATWG HTML). */
export class Streams {
  readonly #open = new Map<string, Set<Listening>>();
  readonly #byOwner = new Map<string, Set<Listening>>();
  readonly #byCredential = new Map<string, Set<Listening>>();
  readonly #heart: NodeJS.Timeout;

  /** @param now the time by which credentials end, in milliseconds since 1970 */
  constructor(now: () => number = Date.now) {
    // A comment now and then, so that proxies do not cut what is quiet.
    this.#heart = setInterval(() => {
      for (const listeners of this.#open.values()) for (const one of listeners) beat(one, now());
    }, heartbeatMilliseconds);
    this.#heart.unref();
  }

  /**
   * Answers a request with a stream, for as long as its sender listens.
   *
   * @throws Refusal `too-many-requests` if its key has too many streams open
   */
  listen({ environment, host, response, principal, session }: Listener): void {
    const headers = { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store' };
    if (response.req.method === 'HEAD') return void response.status(200).set(headers).end();
    const { credential, expiresAt } = principal;
    if ((this.#byCredential.get(credential)?.size ?? 0) >= mostOfKey) {
      const detail = `${mostOfKey} streams of one key are open, and that is the most: one for each host is enough.`;
      throw new Refusal('too-many-requests', detail, { retryAfter: 60 });
    }
    const owner = principal.sort === 'device' ? principal.device : `${environment}/${host}`;
    const own = this.#byOwner.get(owner);
    if (own !== undefined && own.size >= mostOfOne) for (const oldest of [...own].slice(0, 1)) oldest.response.end();
    const listening = { response, session, owner, credential, expiresAt, unread: 0 };
    const places = [
      [this.#open, `${environment}/${host}`],
      [this.#byOwner, owner],
      [this.#byCredential, credential],
    ] as const;
    for (const [map, name] of places) map.set(name, (map.get(name) ?? new Set()).add(listening));
    const leave = () => {
      for (const [map, name] of places) {
        const listeners = map.get(name);
        listeners?.delete(listening);
        if (listeners?.size === 0) map.delete(name);
      }
    };
    response.once('close', leave);
    response.status(200).set(headers);
    response.flushHeaders();
    send(response, ': listening\n\n');
  }

  tell<Name extends keyof HostEvents>(environment: number, host: string, event: Name, data: HostEvents[Name]): void {
    for (const { response, session } of this.#open.get(`${environment}/${host}`) ?? []) {
      if (session !== undefined && session !== data.session) continue;
      send(response, `event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
    }
  }

  /** Takes in what a commit did: whoever it concerns is told, or hears nothing more. */
  heed(event: FeedEvent): void {
    switch (event.what) {
      case 'player-changed': {
        const { environment, seen, open } = event;
        if (open === null) return;
        const { session, host, records } = open;
        return this.tell(environment, host, 'outside-change', { session, seen, records });
      }
      case 'session-ended': {
        const { environment, host, session, end, by } = event;
        if (by === null) return;
        return this.tell(environment, host, 'session-lost', {
          session,
          detail: `"${by}" has joined the player (${end}).`,
        });
      }
      case 'handover-wanted':
        return this.tell(event.environment, event.host, 'handover-wanted', { session: event.session });
      case 'credential-over':
        for (const one of this.#byCredential.get(event.hash) ?? []) one.response.end();
        return;
      case 'device-over':
        for (const one of this.#byOwner.get(event.device) ?? []) if (one.credential !== event.but) one.response.end();
        return;
    }
  }

  isListening(environment: number, host: string): boolean {
    return this.#open.has(`${environment}/${host}`);
  }

  /** How many are open. */
  get count(): number {
    return [...this.#open.values()].reduce((sum, listeners) => sum + listeners.size, 0);
  }

  /** The service stops: every listener is let go. */
  close(): void {
    clearInterval(this.#heart);
    for (const listeners of this.#open.values()) for (const one of listeners) one.response.end();
  }
}

function beat(one: Listening, now: number): void {
  // It had a heartbeat's time to read what was left.
  if (one.response.writableEnded) return void one.response.destroy();
  if (one.expiresAt !== null && one.expiresAt <= now) return void one.response.end();
  one.unread = one.response.writableLength > 0 ? one.unread + 1 : 0;
  if (one.unread > mostUnreadHeartbeats) one.response.destroy();
  else send(one.response, ': still here\n\n');
}

/** What has ended, and was not read to its end yet, hears nothing more: Node takes a word after the end for a fault of ours. */
function send(response: Response, text: string): void {
  if (response.writableEnded) return;
  if (response.writableLength > mostUnreadBytes) response.destroy();
  else response.write(text);
}
