import { problemDetails, Refusal } from '@vekkon/protocol';
import type { ErrorRequestHandler, RequestHandler } from 'express';
import type { Logger } from './log.js';

/** What the JSON body parser throws. */
interface BodyError extends Error {
  readonly type: string;
}

function isBodyError(error: unknown): error is BodyError {
  return error instanceof Error && 'type' in error && typeof error.type === 'string';
}

function refusalFor(error: unknown, isDamaged: (error: unknown) => boolean): Refusal {
  if (error instanceof Refusal) return error;
  if (isDamaged(error)) return new Refusal('store-damaged');
  if (error instanceof URIError) {
    return new Refusal('request-invalid', 'The path is not percent-encoded as it must be (RFC 3986).');
  }
  if (isBodyError(error)) {
    if (error.type === 'entity.too.large') return new Refusal('body-too-large');
    if (error.type === 'charset.unsupported' || error.type === 'encoding.unsupported') {
      return new Refusal('media-type-unsupported', `${error.message}: send JSON in UTF-8.`);
    }
    const why = error.type === 'request.aborted' ? 'it was cut off' : 'it is not what its headers say';
    return new Refusal('body-not-json', `The body could not be read: ${why}.`);
  }
  if (isHttpError(error)) {
    if ('code' in error && String(error.code).startsWith('Z_')) {
      return new Refusal('body-not-json', 'The body could not be read: it is not what its Content-Encoding says.');
    }
    if (error.status === 404) return new Refusal('route-unknown');
    if (error.status === 412) return new Refusal('precondition-failed', 'The file is another one by now.');
    if (error.status === 416) return new Refusal('range-not-satisfiable');
    return new Refusal('request-invalid', 'This is not a request that can be answered here.');
  }
  return new Refusal('fault');
}

/** What the server of files, or a parser, throws at what the caller did. */
function isHttpError(error: unknown): error is Error & { readonly status: number } {
  return error instanceof Error && 'status' in error && typeof error.status === 'number' && error.status < 500;
}

/** Answers every error as problem details (RFC 9457). What is not a refusal is a fault: logged with its cause. */
export function problemResponder(log: Logger, isDamaged: (error: unknown) => boolean): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    if (response.headersSent) return next(error);
    const refusal = refusalFor(error, isDamaged);
    const requestId = String(response.getHeader('X-Request-Id'));
    if (refusal.status >= 500) {
      const cause: unknown = error instanceof Refusal ? error.cause : error;
      const method = refusal.status === 500 ? 'error' : 'warn';
      log[method]({ err: cause, requestId, code: refusal.code }, `${request.method} ${request.path}: ${refusal.code}`);
    }
    if (refusal.facts.retryAfter !== undefined) response.set('Retry-After', String(refusal.facts.retryAfter));
    if (refusal.status === 401) response.set('WWW-Authenticate', 'Bearer');
    response.status(refusal.status).type('application/problem+json');
    response.send(JSON.stringify(problemDetails(refusal, requestId)));
  };
}

export const routeUnknown: RequestHandler = (request) => {
  throw new Refusal(
    'route-unknown',
    `There is no ${request.method} ${request.path}: see /openapi.json for what there is.`,
  );
};
