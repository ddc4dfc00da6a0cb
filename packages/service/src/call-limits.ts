import type { IncomingMessage } from 'node:http';
import { Refusal } from '@vekkon/protocol';
import type { Request, RequestHandler, Response } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import type { Principal } from './access.js';

/** How much one caller may ask for. A minute is any 60 seconds; 0 sets no bound. */
export interface CallLimitNumbers {
  /** Calls of one player's own device in a minute, and of all devices of one player. */
  readonly deviceCalls: number;
  readonly playerCalls: number;
  /** Calls of all games on devices that share an address, in a minute. */
  readonly addressCalls: number;
  /** Devices that are met for the first time under one address, in a minute. */
  readonly newDevices: number;
  /** Credentials that were not seen lately under one address, in a minute: most of a flood's are made up. */
  readonly newCredentials: number;
  /** Streams that one device, and all games on devices under one address, open in a minute. */
  readonly deviceStreams: number;
  readonly addressStreams: number;
  /** How much one player's own device may send in a minute, in bytes. */
  readonly deviceBytes: number;
  /** Calls of one device, and of all games on devices under one address, that run at the same time. */
  readonly deviceAtOnce: number;
  readonly addressAtOnce: number;
}

export const usualLimits: CallLimitNumbers = {
  deviceCalls: 600,
  playerCalls: 1_200,
  addressCalls: 12_000,
  newDevices: 300,
  newCredentials: 3_000,
  deviceStreams: 60,
  addressStreams: 2_400,
  deviceBytes: 16 * 1024 * 1024,
  deviceAtOnce: 16,
  addressAtOnce: 512,
};

/** What sort of call it is, by how long it goes on. */
export type CallSort = 'short' | 'waits' | 'stream';

const minute = 60_000;

/**
 * How long whoever asks for too much waits for that answer, in milliseconds,
 * and how many may wait for it: who asks again at once, on as many connections
 * as they like, takes next to nothing from the others.
 */
const heldBackFor = 500;
const mostHeldBack = 4_096;

/** How many calls of one device run side by side, but for those that wait for others by themselves. */
const mostOfDeviceSideBySide = 2;
/** How long one that had to stand in line waits after the one before it, in milliseconds. */
const betweenOfDevice = 15;

/**
 * Bounds what one device, one player or one address may ask for, so that
 * nobody takes the service from the others. Game servers and operators are
 * not counted: their keys can be revoked.
 */
export class CallLimits {
  readonly #numbers: CallLimitNumbers;
  readonly #running = new Map<string, number>();
  readonly #sent = new Map<string, number>();
  /** The minute that they were sent in, counted from 1970. */
  #sentIn = 0;
  readonly #byDevice: RequestHandler;
  readonly #byPlayer: RequestHandler;
  readonly #byAddress: RequestHandler;
  readonly #newDevices: RequestHandler;
  readonly #newCredentials: RequestHandler;
  readonly #deviceStreams: RequestHandler;
  readonly #addressStreams: RequestHandler;
  readonly #lines = new Map<string, Line>();
  #heldBack = 0;

  constructor(numbers: Partial<CallLimitNumbers> = {}) {
    this.#numbers = { ...usualLimits, ...numbers };
    const { deviceCalls, playerCalls, addressCalls, newDevices, newCredentials } = this.#numbers;
    const { deviceStreams, addressStreams } = this.#numbers;
    this.#byDevice = perMinute('device', deviceCalls, ({ caller }) => keyOf(caller, 'device'));
    this.#byPlayer = perMinute('player', playerCalls, ({ caller }) => keyOf(caller, 'player'));
    this.#byAddress = perMinute('address', addressCalls, addressOf);
    this.#newDevices = perMinute('new-devices', newDevices, addressOf);
    this.#newCredentials = perMinute('new-credentials', newCredentials, addressOf);
    this.#deviceStreams = perMinute('device-streams', deviceStreams, ({ caller }) => keyOf(caller, 'device'));
    this.#addressStreams = perMinute('address-streams', addressStreams, addressOf);
  }

  /** A credential is shown that is not known yet. @throws Refusal `too-many-requests` */
  meet(request: Request, response: Response): Promise<void> {
    return this.#holdBack(response, pass(this.#newCredentials, request, response));
  }

  /**
   * A game on a device asks to be known: those of one address stand in one line.
   *
   * @returns what to call when it has been answered
   * @throws Refusal `too-many-requests`
   */
  async addDevice(request: Request, response: Response): Promise<() => void> {
    await this.#holdBack(response, pass(this.#newDevices, request, response));
    return this.#standIn(`new devices of ${addressOf(request)}`);
  }

  /**
   * Lets a call in.
   *
   * @param what a stream goes on until its sender leaves
   * @returns what to call when it has been answered
   * @throws Refusal `too-many-requests`, with how long to wait
   */
  enter(request: Request, response: Response, principal: Principal, what: CallSort): Promise<() => void> {
    return this.#holdBack(response, this.#letIn(request, response, principal, what));
  }

  /** Whoever is refused is told so after a while; where too many wait for that, at once, and their connection is closed. */
  async #holdBack<T>(response: Response, work: Promise<T>): Promise<T> {
    try {
      return await work;
    } catch (error) {
      if (this.#heldBack >= mostHeldBack) {
        response.setHeader('Connection', 'close');
        throw error;
      }
      this.#heldBack++;
      await new Promise<void>((resolve) => setTimeout(resolve, heldBackFor).unref()).finally(() => this.#heldBack--);
      throw error;
    }
  }

  async #letIn(request: Request, response: Response, principal: Principal, what: CallSort): Promise<() => void> {
    if (principal.sort !== 'device' && principal.sort !== 'device-key') return () => undefined;
    (request as Counted).caller = principal;
    await pass(this.#byAddress, request, response);
    if (principal.sort === 'device') {
      await pass(this.#byPlayer, request, response);
      await pass(this.#byDevice, request, response);
    }
    if (what === 'stream') {
      await pass(this.#addressStreams, request, response);
      if (principal.sort === 'device') await pass(this.#deviceStreams, request, response);
    }
    const { deviceAtOnce, addressAtOnce } = this.#numbers;
    const leaveAddress = this.#begin(`address ${addressOf(request)}`, addressAtOnce);
    try {
      const leaveDevice =
        principal.sort === 'device' ? this.#begin(`device ${principal.device}`, deviceAtOnce) : () => undefined;
      return () => {
        leaveDevice();
        leaveAddress();
      };
    } catch (error) {
      leaveAddress();
      throw error;
    }
  }

  /**
   * Counts what a device has sent, before it is looked at.
   *
   * @throws Refusal `too-many-requests` where it is too much for a minute
   */
  countBytes(principal: Principal, bytes: number): void {
    if (principal.sort !== 'device') return;
    const { device } = principal;
    const { deviceBytes } = this.#numbers;
    const now = Date.now();
    if (this.#sentIn !== Math.floor(now / minute)) this.#sent.clear();
    this.#sentIn = Math.floor(now / minute);
    const sent = (this.#sent.get(device) ?? 0) + bytes;
    this.#sent.set(device, sent);
    if (deviceBytes === 0 || sent <= deviceBytes) return;
    const detail = `One device may send ${Math.floor(deviceBytes / 1024 / 1024)} MiB in a minute: save less often, or less.`;
    throw new Refusal('too-many-requests', detail, {
      retryAfter: Math.ceil(((this.#sentIn + 1) * minute - now) / 1000),
    });
  }

  /**
   * Of one device's calls that have arrived whole a few run side by side, and the others wait for them: a flood
   * stands in its own line, and a call of somebody else comes before the next of it.
   *
   * @returns what to call when it has been answered
   */
  async stand(principal: Principal, what: CallSort): Promise<() => void> {
    if (principal.sort !== 'device' || what !== 'short') return () => undefined;
    return this.#standIn(principal.device);
  }

  async #standIn(name: string): Promise<() => void> {
    const line = this.#lines.get(name) ?? { running: 0, waiting: [] };
    this.#lines.set(name, line);
    if (line.running < mostOfDeviceSideBySide) line.running++;
    else {
      await new Promise<void>((resolve) => line.waiting.push(resolve));
      await new Promise<void>((resolve) => setTimeout(resolve, betweenOfDevice).unref());
    }
    return () => {
      const next = line.waiting.shift();
      if (next !== undefined) return next();
      if (--line.running === 0) this.#lines.delete(name);
    };
  }

  #begin(key: string, most: number): () => void {
    const running = this.#running.get(key) ?? 0;
    if (most > 0 && running >= most) {
      const detail = `${most} calls of one caller run at the same time at the most: wait for their answers.`;
      throw new Refusal('too-many-requests', detail, { retryAfter: 1 });
    }
    this.#running.set(key, running + 1);
    return () => {
      const left = (this.#running.get(key) ?? 1) - 1;
      if (left > 0) this.#running.set(key, left);
      else this.#running.delete(key);
    };
  }
}

/** What of one device runs, and what waits for it. */
interface Line {
  running: number;
  readonly waiting: (() => void)[];
}

type Counted = Request & { caller?: Principal };

function keyOf(caller: Principal | undefined, what: 'device' | 'player'): string {
  return caller?.sort === 'device' ? `${caller.environment}/${caller[what]}` : '';
}

/** Where a call comes from; of IPv6 the network, since one household has many addresses. */
export function addressOf(request: IncomingMessage & { readonly ip?: string | undefined }): string {
  return ipKeyGenerator(request.ip ?? '');
}

function perMinute(name: string, limit: number, keyGenerator: (request: Counted) => string): RequestHandler {
  if (limit === 0) return (_request, _response, next) => next();
  return rateLimit({
    identifier: name,
    windowMs: minute,
    limit,
    keyGenerator,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (request, _response, next) => {
      const { resetTime } = (request as Request & { rateLimit?: { resetTime?: Date } }).rateLimit ?? {};
      const retryAfter = Math.max(1, Math.ceil(((resetTime?.getTime() ?? 0) - Date.now()) / 1000));
      next(new Refusal('too-many-requests', `${limit} in a minute are the most here: see RateLimit.`, { retryAfter }));
    },
  });
}

/** Runs a middleware by itself. */
export function pass(handler: RequestHandler, request: Request, response: Response): Promise<void> {
  return new Promise((resolve, reject) => {
    void handler(request, response, (error?: unknown) => (error === undefined ? resolve() : reject(error as Error)));
  });
}
