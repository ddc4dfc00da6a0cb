import type { HostEvents } from '@vekkon/protocol';
import { createParser } from 'eventsource-parser';

/** What is heard on a stream, by event name. */
export type StreamHandlers = { readonly [Name in keyof HostEvents]: (data: HostEvents[Name]) => void };
/** The same for any stream: what an event holds is known to whoever listens. */
type AnyHandlers = StreamHandlers | { readonly [event: string]: (data: unknown) => void };

/** Sent as they are. */
type Headers = { readonly [name: string]: string };

/** Short: whoever waits for a handover waits for this. */
const longestPause = 2_000;
/** The service says something at least every 15 s; silence for longer means the connection is dead. */
const longestSilence = 40_000;

/**
 * Listens on the stream of a host or a session until it is aborted; a connection that breaks is
 * made again, with backoff. `onOpen` is called each time that it stands: what
 * happened before was not heard; `onBreak` each time that it stood and does
 * not any more.
 */
export async function listenToStream(
  url: string,
  credential: (() => string) | Headers,
  handlers: AnyHandlers,
  onOpen: () => void,
  signal: AbortSignal,
  onBreak: () => void = () => undefined,
): Promise<void> {
  for (let failures = 0; !signal.aborted; failures++) {
    try {
      await listenOnce(url, credential, handlers, signal, () => {
        failures = 0;
        onOpen();
      });
    } catch {
      // Renewals and responses say the same, only later: there is nobody to tell.
    }
    if (!signal.aborted && failures === 0) onBreak();
    if (!signal.aborted) await rest(Math.random() * Math.min(longestPause, 250 * 2 ** failures), signal);
  }
}

async function listenOnce(
  url: string,
  credential: (() => string) | Headers,
  handlers: AnyHandlers,
  signal: AbortSignal,
  onOpen: () => void,
): Promise<void> {
  const silent = new AbortController();
  const response = await fetch(url, {
    headers: {
      ...(typeof credential === 'function' ? { Authorization: `Bearer ${credential()}` } : credential),
      Accept: 'text/event-stream',
    },
    signal: AbortSignal.any([signal, silent.signal]),
  });
  if (!response.ok || response.body === null) throw new Error(`status ${response.status}`);
  onOpen();
  const parser = createParser({
    onEvent({ event, data }) {
      const handle = (handlers as { readonly [name: string]: unknown })[event ?? ''] as
        ((data: unknown) => void) | undefined;
      handle?.(JSON.parse(data));
    },
  });
  const decoder = new TextDecoder();
  let timer = setTimeout(() => silent.abort(), longestSilence);
  try {
    // Read by hand: not every browser can iterate over a body.
    const reader = response.body.getReader();
    for (;;) {
      const { done, value: bytes } = await reader.read();
      if (done) break;
      clearTimeout(timer);
      timer = setTimeout(() => silent.abort(), longestSilence);
      unref(timer);
      parser.feed(decoder.decode(bytes, { stream: true }));
    }
  } finally {
    clearTimeout(timer);
  }
}

/** A process that has nothing else to do may end; in a browser there is no such thing. */
function unref(timer: unknown): void {
  if (typeof timer === 'object') (timer as { unref(): void }).unref();
}

function rest(milliseconds: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    const timer = setTimeout(done, milliseconds);
    unref(timer);
    function done() {
      clearTimeout(timer);
      signal.removeEventListener('abort', done);
      resolve();
    }
    signal.addEventListener('abort', done);
  });
}
