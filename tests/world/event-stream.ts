import { createParser } from 'eventsource-parser';

/** One event as it was heard, its data read. */
export interface Heard {
  readonly event: string;
  readonly id: string;
  readonly data: unknown;
}

/** A stream of server-sent events, read past the client. */
export class EventStream {
  /** Resolves when the service has closed it, or it was closed here. */
  readonly ended: Promise<void>;
  readonly #end = new AbortController();
  readonly #heard: Heard[] = [];
  #wake: () => void = () => undefined;

  private constructor(response: Response) {
    this.ended = this.#read(response.body!).catch(() => undefined);
  }

  static async open(url: string, credential: string, lastEventId?: string): Promise<EventStream> {
    const headers = {
      Authorization: `Bearer ${credential}`,
      ...(lastEventId !== undefined && { 'Last-Event-ID': lastEventId }),
    };
    const response = await fetch(url, { headers });
    if (!response.ok) throw new Error(`It was answered ${response.status}: ${await response.text()}`);
    return new EventStream(response);
  }

  /** The next event; the test's own time is the end of the wait. */
  async next(): Promise<Heard> {
    for (;;) {
      const heard = this.#heard.shift();
      if (heard !== undefined) return heard;
      await new Promise<void>((resolve) => (this.#wake = resolve));
    }
  }

  close(): void {
    this.#end.abort();
  }

  async #read(body: ReadableStream<Uint8Array>): Promise<void> {
    const parser = createParser({
      onEvent: ({ event = '', id = '', data }) => {
        this.#heard.push({ event, id, data: JSON.parse(data) });
        this.#wake();
      },
    });
    const decoder = new TextDecoder();
    const reader = body.getReader();
    this.#end.signal.addEventListener('abort', () => void reader.cancel());
    for (;;) {
      const { done, value } = await reader.read();
      if (done) return;
      parser.feed(decoder.decode(value, { stream: true }));
    }
  }
}
