import type { ProblemDetails } from '@vekkon/protocol';
import { ServiceRefused, ServiceUnreachable } from '../errors.js';

export interface Sent {
  readonly method: 'GET' | 'POST' | 'PUT' | 'DELETE';
  /** From the service's root, percent-encoded. */
  readonly path: string;
  /** Sent as JSON. */
  readonly body?: unknown;
  readonly headers?: { readonly [name: string]: string };
  /** Milliseconds after which no answer is awaited any more. */
  readonly timeout?: number;
  /** Goes on its way even if the page ends meanwhile (WHATWG Fetch); at most 64 KiB. */
  readonly keepalive?: boolean;
}

/** One request and its answer. */
export interface Transport {
  /**
   * @returns the body of the answer
   * @throws ServiceRefused if the service refused, ServiceUnreachable if no answer came
   */
  send<Answer>(sent: Sent): Promise<Answer>;
}

const defaultTimeout = 15_000;

/** JSON over HTTP, by `fetch`. */
export class HttpTransport implements Transport {
  /** Where the service is, without a slash at the end. */
  readonly url: string;
  /** Sent with every request. */
  readonly headers: { readonly [name: string]: string };
  readonly #fetch: typeof fetch;

  /**
   * @param url     where the service is, such as http://127.0.0.1:4600
   * @param headers sent with every request
   * @param through what sends; the platform's own `fetch` if left out
   */
  constructor(url: string, headers: { readonly [name: string]: string }, through: typeof fetch = fetch) {
    // Called without a receiver: browsers insist on theirs.
    this.#fetch = (...request) => through(...request);
    this.url = url.replace(/\/+$/, '');
    this.headers = headers;
  }

  async send<Answer>({ method, path, body, headers, timeout = defaultTimeout, keepalive }: Sent): Promise<Answer> {
    let response: Response;
    let text: string;
    try {
      response = await this.#fetch(this.url + path, {
        method,
        headers: {
          ...this.headers,
          ...(body !== undefined && { 'Content-Type': 'application/json' }),
          ...headers,
        },
        ...(body !== undefined && { body: JSON.stringify(body) }),
        ...(keepalive === true && { keepalive }),
        signal: AbortSignal.timeout(timeout),
      });
      text = await response.text();
    } catch (cause) {
      throw new ServiceUnreachable(this.url, cause);
    }
    const answer = parsed(text);
    if (response.ok && answer !== undefined) return answer as Answer;
    if (isProblem(answer)) throw new ServiceRefused(answer);
    // A proxy's page, or half an answer: not the service's word.
    throw new ServiceUnreachable(
      this.url,
      new Error(`status ${response.status} with an answer that is not the service's`),
      secondsToWait(response.headers.get('Retry-After')),
    );
  }

  /** The body of an answer that is no JSON, as it comes. */
  async open(path: string): Promise<ReadableStream<Uint8Array>> {
    let response: Response;
    try {
      response = await this.#fetch(this.url + path, { headers: this.headers });
    } catch (cause) {
      throw new ServiceUnreachable(this.url, cause);
    }
    if (response.ok && response.body !== null) return response.body;
    const answer = parsed(await response.text());
    if (isProblem(answer)) throw new ServiceRefused(answer);
    throw new ServiceUnreachable(this.url, new Error(`status ${response.status}`));
  }
}

/** Retry-After (RFC 9110): seconds, or a date. */
function secondsToWait(header: string | null): number {
  if (header === null) return 0;
  const seconds = /^\d+$/.test(header) ? Number(header) : (Date.parse(header) - Date.now()) / 1000;
  return Number.isFinite(seconds) ? Math.max(0, seconds) : 0;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

function isProblem(answer: unknown): answer is ProblemDetails {
  return typeof answer === 'object' && answer !== null && 'code' in answer && 'detail' in answer && 'status' in answer;
}
