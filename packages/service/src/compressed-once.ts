import { hash } from 'node:crypto';
import { promisify } from 'node:util';
import { brotliCompress, constants, gzip } from 'node:zlib';
import compressible from 'compressible';
import type { RequestHandler, Response } from 'express';

/** A coding of HTTP (RFC 9110), the better one first. */
const codings = ['br', 'gzip'] as const;
type Coding = (typeof codings)[number];

/** Compresses: as well as takes little time, since it is done once. */
export type Pack = (plain: Buffer, coding: Coding) => Promise<Buffer>;

const packOnce: Pack = (plain, coding) =>
  coding === 'gzip'
    ? promisify(gzip)(plain)
    : promisify(brotliCompress)(plain, { params: { [constants.BROTLI_PARAM_QUALITY]: 9 } });

/** How much is kept of what was compressed, in bytes: beyond that what was asked for longest ago is given up. */
const mostKept = 32 * 1024 * 1024;
/** What is smaller is sent as it is. */
const worthIt = 1_024;

/**
 * Sends files compressed to whoever takes that. What a file holds is
 * compressed once: however often it is asked for, that costs nobody else time.
 *
 * @param pack what compresses
 */
export function compressedOnce(pack: Pack = packOnce): RequestHandler {
  const kept = new KeptPacked(pack);
  return (request, response, next) => {
    // Of what is only told about, or asked for in part, the plain file is meant.
    const isWhole = request.method === 'GET' && request.headers.range === undefined;
    const coding = codings.find((one) => request.acceptsEncodings(one) !== false);
    response.vary('Accept-Encoding');
    if (isWhole && coding !== undefined) packAnswer(response, coding, (plain) => kept.packed(coding, plain));
    next();
  };
}

/** Takes in what is written as the answer, where that is a file worth it, and sends it packed. */
function packAnswer(response: Response, coding: Coding, packed: (plain: Buffer) => Promise<Buffer>): void {
  const plainly = { write: response.write.bind(response), end: response.end.bind(response) };
  const chunks: Buffer[] = [];
  let isPacked: boolean | undefined;
  const isToBePacked = () => (isPacked ??= isWorthIt(response));
  response.write = ((chunk: Buffer | string, ...more: []) => {
    if (!isToBePacked()) return plainly.write(chunk, ...more);
    chunks.push(asBuffer(chunk));
    return true;
  }) as Response['write'];
  response.end = ((...given: [] | [last: unknown]) => {
    const [last] = given;
    const isLast = typeof last === 'string' || last instanceof Uint8Array;
    if (chunks.length === 0 && !(isLast && isToBePacked())) return plainly.end(...(given as []));
    if (isLast) chunks.push(asBuffer(last));
    const [only, ...others] = chunks;
    packed(only !== undefined && others.length === 0 ? only : Buffer.concat(chunks)).then(
      (body) => {
        response.setHeader('Content-Encoding', coding);
        response.setHeader('Content-Length', body.length);
        plainly.end(body);
      },
      () => response.destroy(),
    );
    return response;
  }) as Response['end'];
}

/** As it is where it is one: what is the same buffer need not be looked at again. */
function asBuffer(chunk: string | Uint8Array): Buffer {
  return Buffer.isBuffer(chunk) ? chunk : Buffer.from(chunk);
}

/** Is it a whole file of a sort that becomes smaller? */
function isWorthIt(response: Response): boolean {
  if (response.statusCode !== 200 || response.getHeader('ETag') === undefined) return false;
  if (response.getHeader('Content-Encoding') !== undefined) return false;
  const type = String(response.getHeader('Content-Type') ?? '');
  return Number(response.getHeader('Content-Length')) >= worthIt && compressible(type) === true;
}

interface Packed {
  readonly body: Promise<Buffer>;
  /** 0 while it is being compressed. */
  bytes: number;
}

/** What was compressed, by what it was compressed from. */
class KeptPacked {
  readonly #pack: Pack;
  /** What was asked for last comes last. */
  readonly #kept = new Map<string, Packed>();
  readonly #digests = new WeakMap<Buffer, string>();
  #bytes = 0;

  constructor(pack: Pack) {
    this.#pack = pack;
  }

  packed(coding: Coding, plain: Buffer): Promise<Buffer> {
    // By what it holds: one file has many names, as paths can be written.
    const digest = this.#digests.get(plain) ?? hash('sha256', plain, 'base64url');
    this.#digests.set(plain, digest);
    const name = `${coding} ${digest}`;
    const known = this.#kept.get(name) ?? { body: this.#pack(plain, coding), bytes: 0 };
    const isNew = !this.#kept.delete(name);
    this.#kept.set(name, known);
    if (isNew) {
      known.body.then(
        ({ length }) => this.#count(name, known, length),
        () => this.#kept.delete(name),
      );
    }
    return known.body;
  }

  #count(name: string, packed: Packed, bytes: number): void {
    packed.bytes = bytes;
    this.#bytes += bytes;
    for (const [oldest, one] of this.#kept) {
      if (this.#bytes <= mostKept) return;
      if (oldest === name || one.bytes === 0) continue;
      this.#kept.delete(oldest);
      this.#bytes -= one.bytes;
    }
  }
}
