import { createServer, STATUS_CODES, type Server } from 'node:http';
import { createServer as createSecureServer, type Server as SecureServer } from 'node:https';
import type { Duplex } from 'node:stream';
import { followCertificate, readCertificate, type CertificateFiles } from './certificate.js';
import type { Logger } from './log.js';
import type { Listener } from './route-table.js';
import { problemDetails, Refusal } from '@vekkon/protocol';

/** Milliseconds that a connection is kept between two requests, if nobody says otherwise. */
export const usualKeepAlive = 65_000;
/** How much longer than that headers may take to arrive. */
const headersAfter = 5_000;
/** How long a whole request may take to arrive, in milliseconds. */
const requestArrivesWithin = 120_000;
/** How long a stop waits for what is being answered, and for what has not arrived whole. */
const answersWithin = 30_000;
const arrivesWithin = 1_000;

/**
 * The server's connections: kept for the next request, refused in words where
 * what comes is no HTTP, and let go one by one when the service stops.
 */
export class Connections {
  readonly server: Server | SecureServer;
  readonly #endFollowing: () => void = () => undefined;
  #answering = 0;

  /** @param certificate speaks TLS with it; plain HTTP if left out @throws where it can't be used */
  constructor(
    { answer, messages }: Listener,
    log: Logger,
    {
      keepAlive = usualKeepAlive,
      certificate,
    }: { readonly keepAlive?: number | undefined; readonly certificate?: CertificateFiles | undefined },
  ) {
    const headersTimeout = keepAlive + headersAfter;
    const requestTimeout = Math.max(requestArrivesWithin, headersTimeout);
    const timeouts = { keepAliveTimeout: keepAlive, headersTimeout, requestTimeout };
    if (certificate === undefined) this.server = createServer({ ...timeouts, ...messages }, answer);
    else {
      const server = createSecureServer({ ...timeouts, ...messages, ...readCertificate(certificate) }, answer);
      this.#endFollowing = followCertificate(server, certificate, log);
      this.server = server;
    }
    this.server.on('clientError', (error: NodeJS.ErrnoException, socket) => refuse(error, socket));
  }

  /** Counts a call that has arrived whole. @returns what to call once, when it has been answered */
  answering(): () => void {
    this.#answering++;
    let isOver = false;
    return () => {
      if (!isOver) this.#answering--;
      isOver = true;
    };
  }

  /** Takes nothing new, answers what has arrived, and cuts what has not. */
  async close(): Promise<void> {
    this.#endFollowing();
    const closed = new Promise((resolve) => this.server.close(resolve));
    const since = performance.now();
    let quietSince = since;
    this.server.closeIdleConnections();
    // A connection that was kept alive is idle only after its running request.
    const sweep = setInterval(() => {
      this.server.closeIdleConnections();
      const now = performance.now();
      if (this.#answering > 0) quietSince = now;
      if (now - quietSince > arrivesWithin || now - since > answersWithin) this.server.closeAllConnections();
    }, 50);
    await closed;
    clearInterval(sweep);
  }
}

/** What is no HTTP, or too large for it, is told so in problem details too. */
function refuse(error: NodeJS.ErrnoException, socket: Duplex): void {
  if (error.code === 'ECONNRESET' || !socket.writable) return void socket.destroy();
  const refusal = refusalFor(error.code);
  const body = JSON.stringify(problemDetails(refusal, ''));
  const head = [
    `HTTP/1.1 ${refusal.status} ${STATUS_CODES[refusal.status]}`,
    'Content-Type: application/problem+json; charset=utf-8',
    `Content-Length: ${Buffer.byteLength(body)}`,
    'Connection: close',
  ];
  socket.end(`${head.join('\r\n')}\r\n\r\n${body}`);
}

function refusalFor(code: string | undefined): Refusal {
  if (code === 'HPE_HEADER_OVERFLOW') return new Refusal('headers-too-large');
  if (code === 'ERR_HTTP_REQUEST_TIMEOUT') return new Refusal('request-too-slow');
  return new Refusal(
    'request-invalid',
    'This is not HTTP as it must be (RFC 9112): check the request line and headers.',
  );
}
