import type { FeedEvent } from '@vekkon/store';
import { Refusal } from '@vekkon/protocol';
import type { Response } from 'express';

const heartbeatMilliseconds = 15_000;
/** How many heartbeats may lie unread: then nobody reads. */
const mostUnreadHeartbeats = 3;

/** How many streams there may be, and how much of one may lie unread. */
export interface StreamBounds {
  /** Of one device, host or operator: the oldest gives way to one too many. */
  readonly mostOfOne: number;
  /** Under one credential: one too many is refused. */
  readonly mostOfCredential: number;
  readonly mostOfAll: number;
  /** What a reader may leave unread before it is let go: it will come back. */
  readonly mostUnreadBytes: number;
}

/** Who listens, and until when. */
export interface StreamReader {
  readonly response: Response;
  /** The device, the operator, or the host under its key; undefined where one may have as many as its credential. */
  readonly owner: string | undefined;
  /** The hash of the credential that was shown. */
  readonly credential: string;
  /** Milliseconds since 1970; null for no end. */
  readonly expiresAt: number | null;
}

/** One stream of server-sent events (WHATWG HTML) that is open. */
export interface OpenStream extends StreamReader {
  /** Sends an event; whoever leaves too much unread is let go. */
  send(event: string, data: string, id?: string): void;
}

interface Held extends OpenStream {
  /** Heartbeats since it last read all that was sent. */
  unread: number;
}

/** The streams of one sort: opened, kept awake, bounded, and closed with the credential that opened them. */
export class OpenStreams {
  readonly #all = new Set<Held>();
  readonly #byOwner = new Map<string, Set<Held>>();
  readonly #byCredential = new Map<string, Set<Held>>();
  readonly #bounds: StreamBounds;
  readonly #heart: NodeJS.Timeout;

  /** @param now the time by which credentials end, in milliseconds since 1970 */
  constructor(bounds: StreamBounds, now: () => number = Date.now) {
    this.#bounds = bounds;
    // A comment now and then, so that proxies do not cut what is quiet.
    this.#heart = setInterval(() => {
      for (const one of this.#all) this.#beat(one, now());
    }, heartbeatMilliseconds);
    this.#heart.unref();
  }

  /** How many are open. */
  get count(): number {
    return this.#all.size;
  }

  /**
   * Answers a request with a stream, for as long as its sender listens.
   *
   * @param onClose called when it is over
   * @returns undefined where only the head was asked for
   * @throws Refusal `too-many-requests` if there are too many
   */
  open(reader: StreamReader, onClose: () => void): OpenStream | undefined {
    const { response, owner, credential } = reader;
    const headers = { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store' };
    if (response.req.method === 'HEAD') return void response.status(200).set(headers).end();
    const { mostOfOne, mostOfCredential, mostOfAll } = this.#bounds;
    if ((this.#byCredential.get(credential)?.size ?? 0) >= mostOfCredential) {
      const detail = `${mostOfCredential} streams of one key are open, and that is the most: one for each host is enough.`;
      throw new Refusal('too-many-requests', detail, { retryAfter: 60 });
    }
    if (this.#all.size >= mostOfAll) {
      throw new Refusal('too-many-requests', 'Too many streams are open: ask again later.', { retryAfter: 60 });
    }
    const own = owner === undefined ? undefined : this.#byOwner.get(owner);
    if (own !== undefined && own.size >= mostOfOne) for (const oldest of [...own].slice(0, 1)) oldest.response.end();
    const held: Held = {
      ...reader,
      unread: 0,
      send: (event, data, id) =>
        this.#write(response, `${id === undefined ? '' : `id: ${id}\n`}event: ${event}\ndata: ${data}\n\n`),
    };
    this.#all.add(held);
    const places: [Map<string, Set<Held>>, string][] = [[this.#byCredential, credential]];
    if (owner !== undefined) places.push([this.#byOwner, owner]);
    for (const [map, name] of places) map.set(name, (map.get(name) ?? new Set()).add(held));
    response.once('close', () => {
      this.#all.delete(held);
      for (const [map, name] of places) {
        const streams = map.get(name);
        streams?.delete(held);
        if (streams?.size === 0) map.delete(name);
      }
      onClose();
    });
    response.status(200).set(headers);
    response.flushHeaders();
    this.#write(response, ': listening\n\n');
    return held;
  }

  /** Takes in what a commit did: whoever's credential is over hears nothing more. */
  heed(event: FeedEvent): void {
    if (event.what === 'credential-over') {
      for (const one of this.#byCredential.get(event.hash) ?? []) one.response.end();
    }
    if (event.what === 'device-over') {
      for (const one of this.#byOwner.get(event.device) ?? []) if (one.credential !== event.but) one.response.end();
    }
  }

  /** The service stops: every listener is let go. */
  close(): void {
    clearInterval(this.#heart);
    for (const one of this.#all) one.response.end();
  }

  #beat(one: Held, now: number): void {
    // It had a heartbeat's time to read what was left.
    if (one.response.writableEnded) return void one.response.destroy();
    if (one.expiresAt !== null && one.expiresAt <= now) return void one.response.end();
    one.unread = one.response.writableLength > 0 ? one.unread + 1 : 0;
    if (one.unread > mostUnreadHeartbeats) one.response.destroy();
    else this.#write(one.response, ': still here\n\n');
  }

  /** What has ended, and was not read to its end yet, hears nothing more: Node takes a word after the end for a fault of ours. */
  #write(response: Response, text: string): void {
    if (response.writableEnded) return;
    if (response.writableLength > this.#bounds.mostUnreadBytes) response.destroy();
    else response.write(text);
  }
}
