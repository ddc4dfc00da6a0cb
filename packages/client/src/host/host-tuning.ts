import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { Rules } from '@vekkon/core';
import { attributesFromRecords, Tuning, type Attributes, type TuningRules, type Who } from '@vekkon/core/tuning';
import type { TuningRulesTold } from '@vekkon/protocol';
import { GameTuning, type HeldTuning, type TuningRulesHere } from '../session/game-tuning.js';
import type { AnyGame, GameShape } from '../session/game-shape.js';
import { listenToStream } from '../session/stream.js';
import type { Transport } from '../transport/transport.js';

/**
 * The version of what is kept. Raise it whenever its form changes so that an
 * older reader would misread it.
 */
const formatVersion = 1;
const fileName = 'tuning-last-seen.json';

interface Kept {
  readonly tuning: typeof formatVersion;
  readonly rules: TuningRulesTold;
}

/** What tuning asks of the host. @internal */
export interface TuningHost {
  readonly url: string;
  readonly hostKey: string;
  /** Where what was last seen is kept; nowhere if left out. */
  readonly folder?: string | undefined;
  /** The manifest that the host speaks, where it is known. */
  readonly spoken: () => { readonly version: number; readonly rules: Rules } | undefined;
  /** Those by which it plays unsaved, where it speaks none yet. */
  readonly rulesAtHand: () => Rules | undefined;
  readonly sessions: () => readonly { readonly tuning: HeldTuning; readonly player: { readonly id: string } }[];
}

/** A player's session, as far as audiences must know it. @internal */
export interface TunedSession {
  readonly player: string;
  readonly name: string | null;
  readonly sent: Attributes;
  readonly records: () => Parameters<typeof attributesFromRecords>[0];
  readonly rules: Rules;
}

/**
 * The published rules at a host: fetched when the game first asks for a
 * tunable, and again at every word of the stream, so that a publication is
 * here within a second and holds for every session at once.
 */
export class HostTuning<Game extends GameShape = AnyGame> {
  /** For nobody in particular. */
  readonly tuning: GameTuning<Game>;
  readonly #transport: Transport;
  readonly #host: TuningHost;
  #ready: { readonly told: TuningRulesTold; readonly tuning: Tuning } | undefined;
  #listening: AbortController | undefined;
  #fetching: Promise<void> | undefined;
  #isWanted = false;
  #isClosed = false;

  constructor(transport: Transport, host: TuningHost) {
    this.#transport = transport;
    this.#host = host;
    this.tuning = new GameTuning<Game>({ starting: () => startingOf(host.rulesAtHand()), onUse: () => this.use() });
    this.tuning.takeRules(this.#rulesFor(() => ({ attributes: {} })));
    this.#readKept();
  }

  /** The tuning of a session: what its join told, and the rules as soon as they are here. */
  ofSession(session: TunedSession): GameTuning<Game> {
    const tuning = new GameTuning<Game>({ starting: () => startingOf(session.rules), onUse: () => this.use() });
    tuning.takeRules(this.#rulesFor(() => whoIs(session)));
    return tuning;
  }

  /** The game asks for tunables: from now on it hears of them at once. */
  use(): void {
    if (this.#listening !== undefined || this.#isClosed) return;
    this.#isWanted = true;
    this.listen();
  }

  /** Listens, where the game asks for tunables and somebody plays or looks. */
  listen(): void {
    if (!this.#isWanted || this.#listening !== undefined) return;
    this.#listening = new AbortController();
    const { url, hostKey } = this.#host;
    const fetchRules = () => void this.#fetch();
    void listenToStream(
      `${url}/v1/tuning/stream`,
      () => hostKey,
      { tuning: fetchRules },
      fetchRules,
      this.#listening.signal,
    );
  }

  /** Nobody plays any more: a process that has nothing else to do may end. */
  stop(): void {
    this.#listening?.abort();
    this.#listening = undefined;
  }

  /** A word of the stream while an answer is on its way: asked once more after it. */
  #fetch(): Promise<void> {
    const before = this.#fetching ?? Promise.resolve();
    const next = before
      .then(() => this.#fetchOnce())
      .finally(() => {
        if (this.#fetching === next) this.#fetching = undefined;
      });
    this.#fetching = next;
    return next;
  }

  async #fetchOnce(): Promise<void> {
    try {
      const told = await this.#transport.send<TuningRulesTold>({ method: 'GET', path: '/v1/tuning/rules' });
      this.tuning.setClock(told.now);
      this.#take(told);
      this.#keep(told);
    } catch {
      // What was last seen holds; the stream that comes back asks again.
    }
  }

  #take(told: TuningRulesTold): void {
    this.#ready = { told, tuning: new Tuning(told as TuningRules) };
    for (const { tuning } of [this, ...this.#host.sessions()]) tuning.look();
  }

  /** The host closes. */
  close(): void {
    this.#isClosed = true;
    this.stop();
    this.tuning.stop();
  }

  /** They look up what is newest themselves: each is given them once. */
  #rulesFor(who: () => Who): TuningRulesHere {
    const ready = () => {
      const spoken = this.#host.spoken();
      // An older version knows other names, and other places for what is known of a player: what it was told holds.
      const isSpoken = spoken === undefined || spoken.version === this.#ready?.told.manifest;
      return isSpoken ? this.#ready : undefined;
    };
    return {
      get edition() {
        return ready()?.told.edition;
      },
      value: (name, at) => ready()?.tuning.pick(name, who(), at)?.value,
      nextChange: (at) => ready()?.tuning.nextEdge(at),
    };
  }

  #readKept(): void {
    const { folder } = this.#host;
    if (folder === undefined) return;
    try {
      const kept = JSON.parse(readFileSync(path.join(folder, fileName), 'utf8')) as Kept;
      if (kept.tuning === formatVersion) this.#take(kept.rules);
    } catch {
      // There is none yet, or it was written by another version: the manifest's values hold until the service is there.
    }
  }

  #keep(rules: TuningRulesTold): void {
    const { folder } = this.#host;
    if (folder === undefined) return;
    try {
      mkdirSync(folder, { recursive: true });
      const file = path.join(folder, fileName);
      writeFileSync(`${file}.new`, JSON.stringify({ tuning: formatVersion, rules } satisfies Kept), { mode: 0o600 });
      renameSync(`${file}.new`, file);
    } catch {
      // A start without a network has the manifest's values then.
    }
  }
}

function whoIs({ player, name, sent, records, rules }: TunedSession): Who {
  const read = attributesFromRecords(records(), { manifest: rules.manifest });
  return { player, attributes: { ...sent, ...(name !== null && { name }), ...read } };
}

function startingOf(rules: Rules | undefined) {
  const tunables = Object.entries(rules?.manifest.tunables ?? {});
  return Object.fromEntries(tunables.map(([name, { starting }]) => [name, starting]));
}
