import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import {
  ChangeRefused,
  HttpTransport,
  ServiceRefused,
  SessionLeaving,
  SessionOver,
  VekkonHost,
  type HostSession,
  type VekkonHostOptions,
} from '@vekkon/client/host';
import type { Change, Json } from '@vekkon/core';
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
/** How many bytes of wide text are tried: more than one request takes. */
const wideBytes = 1_200_000;
const stuck =
  'Something on the way answers for the service, or the service is older than the client: compare their versions.';

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
  /** Where a request must hold saves of two. */
  readonly #otherPlayer = `rehearsal-${randomUUID()}`;
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
        await this.#step('clean up', 'the rehearsed players are erased', () => this.#erase());
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
    await this.#step('a lost bulk answer', 'several saves that waited count once each, and the next goes on', () =>
      this.#loseBulkAnswer(),
    );
    await this.#step('a start in an outage', 'what an earlier start could not deliver is still there after it', () =>
      this.#startInOutage(),
    );
    await this.#step('a wrong change', 'it is refused at once, and what is around it is saved', () =>
      this.#wrongChange(),
    );
    await this.#step('wide text', 'sizes are measured in bytes: it is saved', () => this.#wideText());
    await this.#step('closing in mid-play', 'what was accepted is saved; the rest is told that it comes too late', () =>
      this.#closeInMidPlay(),
    );
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

  async #loseBulkAnswer(): Promise<Finding> {
    let way: 'open' | 'out' | 'losing answers' = 'open';
    let lost = 0;
    const losing: typeof fetch = async (input, init) => {
      if (way === 'out') throw new TypeError('the service is out on purpose');
      const response = await fetch(input, init);
      if (way === 'open' || !String(input).endsWith('/v1/saves')) return response;
      await response.text();
      lost++;
      way = 'out';
      throw new TypeError('the response was lost on purpose');
    };
    const host = this.#host('rehearsal-one', { fetch: losing, deadline: 100 });
    const [session, other] = [await host.join(this.#player), await host.join(this.#otherPlayer)];
    way = 'out';
    for (let save = 0; save < 3; save++) {
      await this.#changeSomething(session);
      await this.#changeSomething(other);
      await Promise.allSettled([session.save(), other.save()]);
    }
    for (let tries = 0; lost === 0 && tries < 20; tries++) {
      way = 'losing answers';
      await Promise.allSettled([session.save(), other.save()]);
    }
    way = 'open';
    const before = await this.#changeSomething(session);
    const { left } = await host.close();
    const again = await this.#host('rehearsal-two').join(this.#player, { wait: 15 });
    const compared = compare(before, again);
    await again.leave();
    if (left.length < 2) return otherwise(`${2 - left.length} of 2 players could not leave`, stuck);
    return compared.isAsExpected ? asExpected('four saves, sent again, applied once each') : compared;
  }

  async #startInOutage(): Promise<Finding> {
    let isOut = false;
    const outing: typeof fetch = async (input, init) => {
      if (isOut) throw new TypeError('the service is out on purpose');
      return fetch(input, init);
    };
    const options = { spool: this.#folder, fetch: outing, deadline: 100 };
    const first = this.#host('rehearsal-one', options);
    const session = await first.join(this.#player);
    isOut = true;
    const before = await this.#changeSomething(session);
    await first.close({ within: 200 });
    const during = this.#host('rehearsal-one', options);
    await during.join(this.#player).catch(() => undefined);
    const { spooled } = await during.close({ within: 200 });
    isOut = false;
    const again = await this.#host('rehearsal-one', { spool: this.#folder }).join(this.#player);
    const compared = compare(before, again);
    await again.leave();
    if (spooled.length === 0) return otherwise('the start in the outage knew of nothing that waits', stuck);
    return compared.isAsExpected ? asExpected('kept over a start in the outage, then delivered') : compared;
  }

  async #wrongChange(): Promise<Finding> {
    const session = await this.#host('rehearsal-one').join(this.#player);
    const before = await this.#changeSomething(session);
    const wrong: readonly Change[] = [
      { op: 'credit', key: 'currency/any', amount: 1, reason: '' },
      { op: 'increase', key: 'progress/any', path: '', by: NaN },
    ];
    let refused = 0;
    for (const change of wrong) {
      try {
        await session.make(change);
      } catch (error) {
        if (!(error instanceof ChangeRefused)) throw error;
        refused++;
      }
    }
    await session.save();
    await session.leave();
    const again = await this.#host('rehearsal-two').join(this.#player, { wait: 15 });
    const compared = compare(before, again);
    await again.leave();
    if (refused < wrong.length) {
      return otherwise(`${wrong.length - refused} of ${wrong.length} were accepted`, 'Use the client of this version.');
    }
    return compared.isAsExpected ? asExpected(`${refused} refused before anything was sent`) : compared;
  }

  async #wideText(): Promise<Finding> {
    const session = await this.#host('rehearsal-one').join(this.#player);
    const label = '風'.repeat(200);
    let before = textOf(session);
    let bytes = 0;
    // More than a request takes, in bytes, and less than half as much in letters.
    for (let change = 0; bytes < wideBytes; change++) {
      const [key, value] = preferenceOrValue(session);
      session.transaction(label, (draft) => draft.put(key, value));
      bytes += Buffer.byteLength(label);
      before = textOf(session);
    }
    const { refused } = await session.save();
    await session.leave();
    const again = await this.#host('rehearsal-two').join(this.#player, { wait: 15 });
    const compared = compare(before, again);
    await again.leave();
    if (refused.length > 0) return otherwise(`${refused.length} refused`, 'Use the client of this version.');
    return compared.isAsExpected
      ? asExpected(`${(bytes / 1024).toFixed(0)} KiB of labels, in several saves`)
      : compared;
  }

  async #closeInMidPlay(): Promise<Finding> {
    const host = this.#host('rehearsal-one');
    const session = await host.join(this.#player);
    let before = textOf(session);
    let rounds = 0;
    const loop = (async () => {
      for (; !session.isLeaving || rounds === 0; rounds++) {
        before = await this.#changeSomething(session);
        await new Promise((resolve) => setImmediate(resolve));
      }
    })();
    const saving = session.save().catch(() => undefined);
    const { left } = await host.close();
    await saving;
    await loop.catch((error: unknown) => {
      if (!(error instanceof SessionLeaving) && !(error instanceof SessionOver)) throw error;
    });
    const again = await this.#host('rehearsal-two').join(this.#player, { wait: 15 });
    const compared = compare(before, again);
    await again.leave();
    if (left.length === 0) return otherwise('the player could not leave', stuck);
    return compared.isAsExpected
      ? asExpected(`${rounds === 1 ? 'one change' : `${rounds} changes`} while it closed, all found again`)
      : compared;
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
    let erased = 0;
    for (const player of [this.#player, this.#otherPlayer]) {
      try {
        await transport.send({ method: 'DELETE', path: `/v1/players/${player}` });
        erased++;
      } catch (error) {
        if (!(error instanceof ServiceRefused) || error.code !== 'player-unknown') throw error;
      }
    }
    return asExpected(erased === 0 ? 'there was none' : 'erased');
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
