import { Refusal, type LimitName } from '@vekkon/protocol';
import type { Request, RequestHandler, Response } from 'express';
import type { Principal } from '../access.js';
import { addressOf, counter, pass, windowed } from './counted.js';
import type { Limits } from './limits.js';

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
  readonly #limits: Limits;
  readonly #running = new Map<string, number>();
  readonly #sent = new Map<string, number>();
  /** The minute that they were sent in, counted from 1970. */
  #sentIn = 0;
  readonly #byDevice;
  readonly #byPlayer;
  readonly #byAddress;
  readonly #newDevices;
  readonly #newCredentials: RequestHandler;
  readonly #deviceStreams;
  readonly #addressStreams;
  readonly #lines = new Map<string, Line>();
  #heldBack = 0;

  constructor(limits: Limits) {
    this.#limits = limits;
    const perMinute = (name: LimitName) => counter(limits, name, minute);
    this.#byDevice = perMinute('deviceCalls');
    this.#byPlayer = perMinute('playerCalls');
    this.#byAddress = perMinute('addressCalls');
    this.#newDevices = perMinute('newDevices');
    this.#deviceStreams = perMinute('deviceStreams');
    this.#addressStreams = perMinute('addressStreams');
    const { newCredentials } = limits.usual;
    this.#newCredentials = windowed('new-credentials', minute, {
      numberOf: () => newCredentials,
      whoOf: addressOf,
      refused: () => undefined,
      detailOf: (number) => `${number} in a minute are the most here: see RateLimit.`,
    });
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
  async addDevice(request: Request, response: Response, environment: number): Promise<() => void> {
    const counted = { environment, who: addressOf(request) };
    await this.#holdBack(response, this.#newDevices(request, response, counted));
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
    const { environment } = principal;
    const address = { environment, who: addressOf(request) };
    const device = principal.sort === 'device' ? { environment, who: principal.device } : undefined;
    await this.#byAddress(request, response, address);
    if (principal.sort === 'device' && device !== undefined) {
      await this.#byPlayer(request, response, { environment, who: principal.player });
      await this.#byDevice(request, response, device);
    }
    if (what === 'stream') {
      await this.#addressStreams(request, response, address);
      if (device !== undefined) await this.#deviceStreams(request, response, device);
    }
    const leaveAddress = this.#begin('addressAtOnce', address);
    try {
      const leaveDevice = device === undefined ? () => undefined : this.#begin('deviceAtOnce', device);
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
    const { device, environment } = principal;
    const { deviceBytes } = this.#limits.of(environment);
    const now = Date.now();
    if (this.#sentIn !== Math.floor(now / minute)) this.#sent.clear();
    this.#sentIn = Math.floor(now / minute);
    const sent = (this.#sent.get(device) ?? 0) + bytes;
    this.#sent.set(device, sent);
    if (deviceBytes === 0 || sent <= deviceBytes) return;
    this.#limits.ranInto.note(environment, 'deviceBytes', device);
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

  #begin(name: 'deviceAtOnce' | 'addressAtOnce', { environment, who }: Placed): () => void {
    const key = `${name} ${environment} ${who}`;
    const most = this.#limits.of(environment)[name];
    const running = this.#running.get(key) ?? 0;
    if (most > 0 && running >= most) {
      this.#limits.ranInto.note(environment, name, who);
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

interface Placed {
  readonly environment: number;
  readonly who: string;
}
