import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import {
  ChangeRefused,
  HttpTransport,
  ServiceRefused,
  VekkonHost,
  type HostSession,
  type VekkonHostOptions,
} from '@vekkon/client/host';
import type { Json } from '@vekkon/core';
import type { ManifestResponse } from '@vekkon/protocol';
import { findingOf } from './advice.js';
import { changeInWords } from '../output/words.js';
import { changesToTry } from './changes-to-try.js';
import { asExpected, otherwise, type Finding, type Step } from './step.js';

export interface RehearsalOptions {
  readonly url: string;
  readonly hostKey: string;
  /** Also try a lost response, an outage and a killed host. */
  readonly faults: boolean;
  /** Told of each step as it ends. */
  readonly onStep: (step: Step) => void;
}

const wholeSecond = 1_000;
const mostClockDifference = 60 * wholeSecond;

/**
 * Walks through what a game does with a player, on a player of its own, and
 * says at each step what was expected and what was found.
 *
 * @returns the steps; the walk ends at the first that makes the rest pointless
 */
export async function rehearse(options: RehearsalOptions): Promise<readonly Step[]> {
  return new Rehearsal(options).run();
}

class Rehearsal {
  readonly #options: RehearsalOptions;
  readonly #steps: Step[] = [];
  readonly #player = `rehearsal-${randomUUID()}`;
  readonly #hosts: VekkonHost[] = [];
  readonly #folder = mkdtempSync(path.join(tmpdir(), 'vekkon-rehearsal-'));

  constructor(options: RehearsalOptions) {
    this.#options = options;
  }

  async run(): Promise<readonly Step[]> {
    try {
      if (await this.#reach()) await this.#play();
    } finally {
      for (const host of this.#hosts) await host.close({ within: wholeSecond });
      if (this.#hosts.length > 0) {
        await this.#step('clean up', 'the rehearsed player is erased', () => this.#erase());
      }
      rmSync(this.#folder, { recursive: true });
    }
    return this.#steps;
  }

  /** @returns false where nothing further can be tried */
  async #reach(): Promise<boolean> {
    const isReached = await this.#step('reach the service', 'it is up, and its store can be written', async () => {
      await this.#get('/ready');
      return asExpected('it is ready');
    });
    return (
      isReached &&
      (await this.#step('key and manifest', 'the key is a host key of an environment with a manifest', async () => {
        const { manifest, version } = await this.#get<ManifestResponse>('/v1/manifest');
        return asExpected(`${manifest.title}, manifest ${version}, ${Object.keys(manifest.records).length} records`);
      }))
    );
  }

  async #play(): Promise<void> {
    const first = this.#host('rehearsal-one');
    const { manifest } = await this.#get<ManifestResponse>('/v1/manifest');
    let session: HostSession | undefined;
    const isJoined = await this.#step('join', 'a new player, with starting values', async () => {
      session = await first.join(this.#player, { name: 'Rehearsal' });
      if (!session.player.isNew)
        return otherwise('a player who is not new', 'Somebody uses ids that begin with "rehearsal-".');
      return asExpected(`new, ${session.records.size} records`);
    });
    await this.#step('clocks', 'this machine and the service agree to the minute', () => this.#compareClocks());
    if (!isJoined || session === undefined) return;
    const playing = session;
    await this.#step('every kind of change', 'all apply here at once', async () => {
      const refused: string[] = [];
      const changes = changesToTry(manifest);
      for (const change of changes) {
        try {
          await playing.make(change);
        } catch (error) {
          if (!(error instanceof ChangeRefused)) throw error;
          refused.push(`${changeInWords(change)}: ${error.message}`);
        }
      }
      const ops = new Set(changes.map(({ op }) => op));
      const tight = refused.length === 0 ? '' : `; ${refused.length} had no room within their bounds`;
      return asExpected(`${changes.length} changes: ${[...ops].join(', ')}${tight}`);
    });
    await this.#step('save', 'answered: everything is on disk', async () => {
      const { sent, refused } = await playing.save();
      if (refused.length === 0) return asExpected(`${sent} transactions applied`);
      return otherwise(
        `${refused.length} refused: ${refused.map((one) => one.problem.code).join(', ')}`,
        'The service knows another manifest than the one it sent: was one installed just now? Run this again.',
      );
    });
    await this.#step('leave and join again', 'everything is found as it was', async () => {
      const before = textOf(playing);
      await playing.leave();
      session = await first.join(this.#player);
      return compare(before, session);
    });
    await this.#step('two hosts at once', 'the first saves and leaves, the second finds it all', () =>
      this.#handOver(session),
    );
    if (!this.#options.faults) return;
    await this.#step('a lost response', 'the save counts once', () => this.#loseResponse());
    await this.#step('an outage', 'what was done meanwhile is saved when it is over', () => this.#outage());
    await this.#step('a killed host', 'its next start delivers what it had done', () => this.#killedHost());
    await this.#step('long calls', 'a call that waits for three seconds is answered, not cut', () => this.#longCall());
  }

  async #compareClocks(): Promise<Finding> {
    const before = Date.now();
    const response = await fetch(`${this.#options.url}/health`);
    const there = Date.parse(response.headers.get('Date') ?? '');
    const difference = Math.abs(there - (before + Date.now()) / 2);
    if (Number.isNaN(there)) return otherwise('the service sends no Date', 'A proxy takes the Date header away.');
    const inSeconds = `${(difference / wholeSecond).toFixed(0)} s apart`;
    if (difference <= mostClockDifference) return asExpected(inSeconds);
    return otherwise(inSeconds, 'Set the clock of this machine, or of the service, by NTP. Leases hold all the same.');
  }

  async #handOver(session: HostSession | undefined): Promise<Finding> {
    if (session === undefined) return otherwise('nobody is joined', 'See the step before.');
    await session.put(...preferenceOrValue(session));
    const before = textOf(session);
    const startedAt = performance.now();
    const second = await this.#host('rehearsal-two').join(this.#player, { wait: 15 });
    const took = performance.now() - startedAt;
    const compared = compare(before, second);
    await second.leave();
    return compared.isAsExpected ? asExpected(`handed over in ${took.toFixed(0)} ms`) : compared;
  }

  async #loseResponse(): Promise<Finding> {
    let lost = 0;
    const losing: typeof fetch = async (input, init) => {
      const response = await fetch(input, init);
      if (!String(input).includes('/saves') || lost > 0) return response;
      lost++;
      await response.text();
      throw new TypeError('the response was lost on purpose');
    };
    const session = await this.#host('rehearsal-one', { fetch: losing }).join(this.#player);
    const before = await this.#changeSomething(session);
    await session.save();
    await session.leave();
    const again = await this.#host('rehearsal-two').join(this.#player, { wait: 15 });
    const compared = compare(before, again);
    await again.leave();
    if (lost === 0) return otherwise('no response was lost', 'Nothing was sent: the manifest has no record to change.');
    return compared.isAsExpected ? asExpected('sent twice, applied once') : compared;
  }

  async #outage(): Promise<Finding> {
    let isOut = false;
    let failed = 0;
    const outing: typeof fetch = async (input, init) => {
      if (!isOut) return fetch(input, init);
      failed++;
      throw new TypeError('the service is out on purpose');
    };
    const session = await this.#host('rehearsal-one', { fetch: outing, deadline: 20_000 }).join(this.#player);
    isOut = true;
    const before = await this.#changeSomething(session);
    const saved = session.save();
    setTimeout(() => (isOut = false), wholeSecond);
    await saved;
    await session.leave();
    const again = await this.#host('rehearsal-two').join(this.#player, { wait: 15 });
    const compared = compare(before, again);
    await again.leave();
    return compared.isAsExpected ? asExpected(`${failed} tries failed, then all was saved`) : compared;
  }

  async #killedHost(): Promise<Finding> {
    const options = { spool: this.#folder, journal: true };
    const session = await this.#host('rehearsal-one', options).join(this.#player);
    const before = await this.#changeSomething(session);
    // Nothing is saved or left: the next start has only the spool to go by.
    const next = this.#host('rehearsal-one', options);
    const again = await next.join(this.#player);
    const compared = compare(before, again);
    await again.leave();
    return compared.isAsExpected ? asExpected('delivered from the spool, nothing lost') : compared;
  }

  async #longCall(): Promise<Finding> {
    const join = (host: string, wait: number) =>
      fetch(`${this.#options.url}/v1/players/${this.#player}/join`, {
        method: 'POST',
        headers: { Authorization: `Bearer ${this.#options.hostKey}` },
        body: JSON.stringify({ host, wait }),
      });
    const holder = (await (await join('rehearsal-deaf', 0)).json()) as { session: { id: string } };
    const startedAt = performance.now();
    const { status } = await join('rehearsal-two', 3);
    const took = performance.now() - startedAt;
    await fetch(`${this.#options.url}/v1/sessions/${holder.session.id}/leave`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${this.#options.hostKey}` },
    });
    if (status === 409 && took >= 2_900) return asExpected(`answered after ${(took / wholeSecond).toFixed(1)} s`);
    return otherwise(
      `status ${status} after ${(took / wholeSecond).toFixed(1)} s`,
      'A proxy on the way cuts long calls: let /v1 wait for at least 30 s, and streams for ever.',
    );
  }

  /** @returns what the player holds after it, as text */
  async #changeSomething(session: HostSession): Promise<string> {
    await session.put(...preferenceOrValue(session));
    return textOf(session);
  }

  #host(host: string, options: Partial<VekkonHostOptions> = {}): VekkonHost {
    const { url, hostKey } = this.#options;
    const made = new VekkonHost({ url, hostKey, host, autosave: 0, deadline: 10_000, ...options });
    this.#hosts.push(made);
    return made;
  }

  async #get<Answer>(route: string): Promise<Answer> {
    const { url, hostKey } = this.#options;
    return new HttpTransport(url, { Authorization: `Bearer ${hostKey}` }).send({ method: 'GET', path: route });
  }

  async #erase(): Promise<Finding> {
    const { url, hostKey } = this.#options;
    const transport = new HttpTransport(url, { Authorization: `Bearer ${hostKey}` });
    try {
      await transport.send({ method: 'DELETE', path: `/v1/players/${this.#player}` });
      return asExpected('erased');
    } catch (error) {
      if (error instanceof ServiceRefused && error.code === 'player-unknown') return asExpected('there was none');
      throw error;
    }
  }

  async #step(step: string, expected: string, work: () => Promise<Finding>): Promise<boolean> {
    const finding = await work().catch(findingOf);
    const done = { step, expected, ...finding };
    this.#steps.push(done);
    this.#options.onStep(done);
    return done.isAsExpected;
  }
}

/** Something that can be changed for any manifest: a value that flips between two. */
function preferenceOrValue(session: HostSession): [key: string, value: Json] {
  for (const [key, { value }] of session.records) {
    if (key.startsWith('preference/') && typeof value === 'boolean') return [key, !value];
  }
  for (const [key, { value }] of session.records) {
    if (key.startsWith('progress/') && typeof value === 'number') return [key, value === 0 ? 1 : 0];
  }
  const [key = '', record] = [...session.records].find(([one]) => /^(progress|preference)\//.test(one)) ?? [];
  return [key, record?.value ?? null];
}

function textOf(session: HostSession): string {
  const values = [...session.records].map(([key, { value }]) => [key, value] as const);
  return JSON.stringify(values.sort(([a], [b]) => (a < b ? -1 : 1)));
}

function compare(before: string, again: HostSession): Finding {
  if (textOf(again) === before) return asExpected('the same, to the byte');
  const old = new Map(JSON.parse(before) as [string, unknown][]);
  const differing = [...again.records].filter(
    ([key, { value }]) => JSON.stringify(old.get(key)) !== JSON.stringify(value),
  );
  return otherwise(
    `other values of ${differing.map(([key]) => key).join(', ')}`,
    'Somebody else writes this player, or a proxy answers for the service: look at the sessions of the player.',
  );
}
