import type { Manifest } from '@vekkon/core';
import { attributeKeys, tagOf, type Attributes, type Who } from '@vekkon/core/tuning';
import type { TuningTold } from '@vekkon/protocol';
import type { EnvironmentRow, FeedEvent, Joined, Reader } from '@vekkon/store';
import type { Logger } from './log.js';
import type { TuningNoted } from './tuning-noted.js';
import type { ReadyTuning, Tunings } from './tunings.js';

/** A session, as far as tuning must know it. */
interface Known {
  readonly session: string;
  readonly host: string;
  readonly environment: number;
  readonly player: string;
  readonly name: string | null;
  /** What its join sent. */
  readonly sent: Attributes;
  readonly manifestVersion: number;
  /** What the player's records say; undefined where that must be read anew. */
  read: Attributes | undefined;
  /** Of what it was last told; undefined before it was told anything. */
  tag: string | undefined;
  /** How things stood when that was last looked at. */
  stamp: string;
  /** Was it told the draft? */
  hasDraft: boolean;
}

/** What a session has, and its player. */
interface Has {
  /** What the player's records say, where that is known; null where it is as it was. */
  readonly read: Attributes | null;
  /** The tag of what the session says that it has. */
  readonly has: string | undefined;
}

/** How many sessions are held: of others it is read again what they are. */
const mostHeld = 200_000;

/** What each open session was last told of tuning, so that it is told only what is another. */
export class SessionTunings {
  readonly #reader: Reader;
  readonly #tunings: Tunings;
  readonly #noted: TuningNoted;
  readonly #log: Logger;
  readonly #held = new Map<string, Known>();
  readonly #ofPlayer = new Map<string, string>();
  /** Those that have the draft. */
  readonly #drafted = new Set<Known>();

  constructor(reader: Reader, tunings: Tunings, noted: TuningNoted, log: Logger) {
    this.#reader = reader;
    this.#tunings = tunings;
    this.#noted = noted;
    this.#log = log;
  }

  /** What a session gets that has just been joined. */
  async joined(place: EnvironmentRow, host: string, joined: Joined, sent: Attributes): Promise<TuningTold> {
    const { player, session, attributes, manifestVersion } = joined;
    const known: Known = {
      session: session.id,
      host,
      hasDraft: false,
      environment: place.number,
      player: player.id,
      name: player.name,
      sent,
      manifestVersion,
      read: attributes,
      tag: undefined,
      stamp: '',
    };
    this.#hold(session.id, known);
    const ready = await this.#tunings.of(place);
    return this.#tellOf(place, ready, known, attributes);
  }

  /**
   * What a session gets from now on, where that is another than it was told.
   *
   * A save that is on disk, and a session that is renewed, are answered in any
   * case: what cannot be looked at now is logged, and looked at with the next.
   *
   * @param has what is known of it
   */
  async told(place: EnvironmentRow, session: string, has: Has): Promise<TuningTold | undefined> {
    try {
      return await this.#told(place, session, has);
    } catch (err) {
      this.#log.error(
        { err, session },
        'What a session gets of tuning could not be looked at: tried again at its next save',
      );
      return undefined;
    }
  }

  async #told(place: EnvironmentRow, session: string, { read, has }: Has): Promise<TuningTold | undefined> {
    const ready = await this.#tunings.of(place);
    let known = this.#held.get(session);
    const wasHeld = known !== undefined;
    known ??= await this.#find(session);
    if (known === undefined) return undefined;
    if (read !== null) {
      known.read = read;
      known.stamp = '';
    }
    const stamp = this.#tunings.stampOf(ready, ready.testers.has(known.player));
    if (known.stamp === stamp && (has === undefined || has === known.tag)) return undefined;
    known.read ??= await this.#readOf(place, ready, known);
    const before = known.tag;
    const told = await this.#tellOf(place, ready, known, known.read);
    // From before this start of the service: where nothing was ever published there is nothing to tell.
    if (!wasHeld && has === undefined && ready.state.edition === 0) return undefined;
    return known.tag === (has ?? before) ? undefined : told;
  }

  /** The sessions of testers, and of those who were testers when they were last told. */
  ofTesters(
    environment: number,
    testers: Iterable<string>,
  ): readonly { readonly host: string; readonly session: string }[] {
    const found = new Set([...this.#drafted].filter((one) => one.environment === environment));
    for (const player of testers) {
      const known = this.#held.get(this.#ofPlayer.get(`${environment}/${player}`) ?? '');
      if (known !== undefined) found.add(known);
    }
    return [...found];
  }

  /** The game of a session has asked for tunables: what is none is not noted. */
  async asked(place: EnvironmentRow, session: string, names: readonly string[] = []): Promise<void> {
    const known = names.length === 0 ? undefined : this.#held.get(session);
    if (known === undefined) return;
    const { build } = known.sent;
    try {
      const { running } = await this.#tunings.of(place);
      const declared = names.filter((name) => running.names.includes(name));
      this.#noted.asked(known.environment, typeof build === 'string' ? build : '', declared);
    } catch (err) {
      this.#log.error({ err, session }, 'What a game asks for could not be noted now');
    }
  }

  /** What is known of a player who is in a session; undefined if they are in none that is known. */
  whoPlays(environment: number, player: string): Who | undefined {
    const known = this.#held.get(this.#ofPlayer.get(`${environment}/${player}`) ?? '');
    return known?.read === undefined ? undefined : whoIs(known, known.read);
  }

  /** Takes in what a commit did. */
  heed(event: FeedEvent): void {
    if (event.what === 'session-ended') this.#forget(event.session);
    if (event.what === 'player-changed' || event.what === 'player-erased') {
      const known = this.#held.get(this.#ofPlayer.get(`${event.environment}/${event.player}`) ?? '');
      if (known === undefined) return;
      known.read = undefined;
      known.stamp = '';
    }
  }

  async #tellOf(place: EnvironmentRow, ready: ReadyTuning, known: Known, read: Attributes): Promise<TuningTold> {
    const who = whoIs(known, read);
    const told = this.#tunings.toldTo(ready, who, await this.#spokenBy(place, ready, known.manifestVersion));
    known.tag = tagOf(told);
    known.hasDraft = told.draft !== undefined;
    if (known.hasDraft) this.#drafted.add(known);
    else this.#drafted.delete(known);
    known.stamp = this.#tunings.stampOf(ready, ready.testers.has(known.player));
    this.#noted.met(place.number, ready, who);
    return told;
  }

  async #spokenBy(place: EnvironmentRow, { installed }: ReadyTuning, version: number): Promise<Manifest> {
    if (version === installed.version) return installed.rules.manifest;
    return (await this.#reader.manifests.version(place, version)).rules.manifest;
  }

  async #readOf(place: EnvironmentRow, { installed }: ReadyTuning, { player }: Known): Promise<Attributes> {
    if (attributeKeys(installed.rules.manifest).size === 0) return {};
    return (await this.#reader.tuning.player(place.number, player, installed.rules))?.read ?? {};
  }

  async #find(session: string): Promise<Known | undefined> {
    const row = await this.#reader.tuning.session(session);
    if (row === undefined || row.ended_at !== null) return undefined;
    const known: Known = {
      session,
      host: row.host,
      hasDraft: false,
      environment: row.environment,
      player: row.player_id,
      name: row.name,
      sent: JSON.parse(row.attributes) as Attributes,
      manifestVersion: row.manifest_version,
      read: undefined,
      tag: undefined,
      stamp: '',
    };
    this.#hold(session, known);
    return known;
  }

  #hold(session: string, known: Known): void {
    const [oldest] = this.#held.keys();
    if (oldest !== undefined && this.#held.size >= mostHeld) this.#forget(oldest);
    this.#held.set(session, known);
    this.#ofPlayer.set(`${known.environment}/${known.player}`, session);
  }

  #forget(session: string): void {
    const known = this.#held.get(session);
    this.#held.delete(session);
    if (known === undefined) return;
    this.#drafted.delete(known);
    const player = `${known.environment}/${known.player}`;
    if (this.#ofPlayer.get(player) === session) this.#ofPlayer.delete(player);
  }
}

function whoIs({ player, name, sent }: Known, read: Attributes): Who {
  return { player, attributes: attributesOf(name, sent, read) };
}

/** All that is known of somebody: what records say goes before what a join sent. */
export function attributesOf(name: string | null, sent: Attributes, read: Attributes): Attributes {
  return { ...sent, ...(name !== null && { name }), ...read };
}
