import type { HostEvents } from '@vekkon/protocol';
import type { FeedEvent } from '@vekkon/store';
import type { Response } from 'express';
import type { Principal } from './access.js';
import { OpenStreams, type OpenStream } from './open-streams.js';

const bounds = { mostOfOne: 4, mostOfCredential: 2_000, mostOfAll: 20_000, mostUnreadBytes: 1024 * 1024 };

interface Listening {
  readonly stream: OpenStream;
  readonly session: string | undefined;
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

/** The streams on which hosts listen, and games on devices for their session. */
export class Streams {
  readonly #open = new Map<string, Set<Listening>>();
  readonly #streams: OpenStreams;

  /** @param now the time by which credentials end, in milliseconds since 1970 */
  constructor(now: () => number = Date.now) {
    this.#streams = new OpenStreams(bounds, now);
  }

  /**
   * Answers a request with a stream, for as long as its sender listens.
   *
   * @throws Refusal `too-many-requests` if its key has too many streams open
   */
  listen({ environment, host, response, principal, session }: Listener): void {
    const { credential, expiresAt } = principal;
    const name = `${environment}/${host}`;
    const owner = principal.sort === 'device' ? principal.device : name;
    const stream = this.#streams.open({ response, owner, credential, expiresAt }, () => {
      const listeners = this.#open.get(name);
      listeners?.delete(listening);
      if (listeners?.size === 0) this.#open.delete(name);
    });
    if (stream === undefined) return;
    const listening: Listening = { stream, session };
    this.#open.set(name, (this.#open.get(name) ?? new Set()).add(listening));
  }

  tell<Name extends keyof HostEvents>(environment: number, host: string, event: Name, data: HostEvents[Name]): void {
    for (const { stream, session } of this.#open.get(`${environment}/${host}`) ?? []) {
      if (session !== undefined && session !== data.session) continue;
      stream.send(event, JSON.stringify(data));
    }
  }

  /** The sessions of which a stream of their own is open, with their hosts. */
  *sessionsListening(environment: number): Iterable<{ readonly host: string; readonly session: string }> {
    const start = `${environment}/`;
    for (const [name, listeners] of this.#open) {
      if (!name.startsWith(start)) continue;
      for (const { session } of listeners) if (session !== undefined) yield { host: name.slice(start.length), session };
    }
  }

  /** Takes in what a commit did: whoever it concerns is told, or hears nothing more. */
  heed(event: FeedEvent): void {
    this.#streams.heed(event);
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
    }
  }

  isListening(environment: number, host: string): boolean {
    return this.#open.has(`${environment}/${host}`);
  }

  /** How many are open. */
  get count(): number {
    return this.#streams.count;
  }

  /** The service stops: every listener is let go. */
  close(): void {
    this.#streams.close();
  }
}
