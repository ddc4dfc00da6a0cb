import { IncomingMessage, ServerResponse, type RequestListener } from 'node:http';
import type { Express, Request, Response } from 'express';

/** Answers one request of a route. */
export type Answer = (request: Request, response: Response) => Promise<void>;

/** What answers an error: problem details. */
export type AnswerError = (
  error: unknown,
  request: Request,
  response: Response,
  next: (error: unknown) => void,
) => void;

/** What answers requests, and what they are made as from the first, so that none has to be made over. */
export interface Listener {
  readonly answer: RequestListener;
  readonly messages: {
    readonly IncomingMessage: typeof IncomingMessage;
    readonly ServerResponse: typeof ServerResponse;
  };
}

interface Found {
  readonly answer: Answer;
  /** Of the parameters in its path. */
  readonly names: readonly string[];
}

interface Place {
  readonly fixed: Map<string, Place>;
  /** A parameter stands here: one segment, or `{key}`, which is all the rest. */
  any: Place | undefined;
  rest: Place | undefined;
  readonly answers: Map<string, Found>;
}

/**
 * The routes of the API by their segments: each is found in as many steps as
 * its path has, however many there are.
 */
export class RouteTable {
  readonly #root = newPlace();

  /** @param path with `{name}` for a segment, and `{key}` for all that is left */
  add(method: string, path: string, answer: Answer): void {
    let place = this.#root;
    const names: string[] = [];
    for (const segment of path.slice(1).split('/')) {
      const name = /^\{(\w+)\}$/.exec(segment)?.[1];
      if (name !== undefined) names.push(name);
      if (name === 'key') place = place.rest ??= newPlace();
      else if (name !== undefined) place = place.any ??= newPlace();
      else place = deeper(place, segment);
    }
    place.answers.set(method.toUpperCase(), { answer, names });
  }

  /**
   * Answers what is in the table, as Express would, and leaves the rest to Express.
   *
   * @param app       whose settings hold for these requests too
   * @param begin     called first, with every request
   */
  listener(app: Express, begin: (response: ServerResponse) => void, answerError: AnswerError): Listener {
    const answer = (incoming: IncomingMessage, outgoing: ServerResponse) => {
      begin(outgoing);
      const path = pathOf(incoming.url ?? '/');
      const values: string[] = [];
      const found = find(this.#root, path.split('/'), 1, incoming.method ?? 'GET', values);
      if (found === undefined) return void app(incoming, outgoing);
      const request = incoming as Request;
      const response = outgoing as Response;
      request.res = response;
      const fail = (error: unknown) => answerError(error, request, response, () => outgoing.destroy());
      try {
        const params: { [name: string]: string } = {};
        for (let index = 0; index < found.names.length; index++) {
          params[found.names[index] ?? ''] = decodeURIComponent(values[index] ?? '');
        }
        request.params = params;
      } catch (error) {
        return fail(error);
      }
      found.answer(request, response).catch(fail);
    };
    return { answer, messages: messagesOf(app) };
  }
}

/**
 * Node's messages with what Express adds to them. As classes, so that they are
 * made so: an object that becomes another kind later is slow from then on.
 */
function messagesOf(app: Express) {
  class Asked extends IncomingMessage {}
  class Told<Asking extends IncomingMessage> extends ServerResponse<Asking> {}
  Object.setPrototypeOf(Asked.prototype, app.request as object);
  Object.setPrototypeOf(Told.prototype, app.response as object);
  return { IncomingMessage: Asked, ServerResponse: Told };
}

function newPlace(): Place {
  return { fixed: new Map(), any: undefined, rest: undefined, answers: new Map() };
}

function deeper(place: Place, segment: string): Place {
  const known = place.fixed.get(segment);
  if (known !== undefined) return known;
  const made = newPlace();
  place.fixed.set(segment, made);
  return made;
}

/** The path of a request's target, without its query and without a slash at its end. */
function pathOf(target: string): string {
  const query = target.indexOf('?');
  const path = query < 0 ? target : target.slice(0, query);
  return path.length > 1 && path.endsWith('/') ? path.slice(0, -1) : path;
}

/** A fixed segment goes before a parameter, where it knows the method: the more particular route. */
function find(
  place: Place,
  segments: readonly string[],
  at: number,
  method: string,
  values: string[],
): Found | undefined {
  if (at === segments.length) return answerOf(place, method);
  const segment = segments[at] ?? '';
  const fixed = place.fixed.get(segment);
  const exact = fixed && find(fixed, segments, at + 1, method, values);
  if (exact !== undefined) return exact;
  if (segment === '') return undefined;
  if (place.any !== undefined) {
    const before = values.length;
    values.push(segment);
    const one = find(place.any, segments, at + 1, method, values);
    if (one !== undefined) return one;
    values.length = before;
  }
  const rest = place.rest && answerOf(place.rest, method);
  if (rest !== undefined) values.push(segments.slice(at).join('/'));
  return rest;
}

/** Who asks for the head alone is answered as by GET. */
function answerOf({ answers }: Place, method: string): Found | undefined {
  return answers.get(method) ?? (method === 'HEAD' ? answers.get('GET') : undefined);
}
