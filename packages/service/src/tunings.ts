import { spokenTunables, type Manifest } from '@vekkon/core';
import { asPublished, readEdition, Tuning, underCurrentNames, type TuningRules, type Who } from '@vekkon/core/tuning';
import type { TuningTold } from '@vekkon/protocol';
import {
  rfc3339,
  type Clock,
  type EnvironmentRow,
  type FeedEvent,
  type InstalledManifest,
  type Reader,
  type TuningState,
} from '@vekkon/store';

/** How many moments at which something changes by itself are told ahead. */
const mostComing = 20;
/** At least so often it is looked whether a window has opened, whatever the clock did meanwhile. */
const longestWait = 60_000;

/** How an environment is tuned, ready to be evaluated under its manifest. */
export interface ReadyTuning {
  readonly state: TuningState;
  readonly installed: InstalledManifest;
  readonly rules: TuningRules;
  readonly running: Tuning;
  /** What testers get. */
  readonly draft: Tuning;
  readonly testers: ReadonlySet<string>;
  /** Another one at every publication, edit and manifest. */
  readonly made: number;
}

/** How environments are tuned, in memory: made from the store at start, kept by the feed. */
export class Tunings {
  readonly #reader: Reader;
  readonly #clock: Clock;
  readonly #states = new Map<number, TuningState>();
  readonly #ready = new Map<number, { readonly manifest: string; readonly ready: ReadyTuning }>();
  readonly #manifests = new Map<number, string>();
  readonly #edges = new Map<number, number>();
  /** Told where somebody may get something else than before: by a publication, an edit, a manifest or a window. */
  onChanged: (environment: number, state: TuningState) => void = () => undefined;
  #timer: NodeJS.Timeout | undefined;
  #made = 0;

  constructor(reader: Reader, clock: Clock) {
    this.#reader = reader;
    this.#clock = clock;
  }

  /** Takes over what the store holds. */
  async load(environments: readonly EnvironmentRow[]): Promise<void> {
    for (const place of environments) {
      this.#manifests.set(place.number, manifestNamed(place));
      this.#states.set(place.number, await this.#reader.tuning.state(place.number));
      if (place.manifest_version !== null) this.#lookOut(place.number, await this.of(place));
    }
  }

  /** How an environment is tuned now. @throws Refusal `manifest-not-installed` */
  async of(place: EnvironmentRow): Promise<ReadyTuning> {
    const manifest = manifestNamed(place);
    const held = this.#ready.get(place.number);
    const state = this.#states.get(place.number);
    if (held !== undefined && held.manifest === manifest && held.ready.state === state) return held.ready;
    const installed = await this.#reader.manifests.newestOf(place);
    const now = this.#states.get(place.number) ?? (await this.#reader.tuning.state(place.number));
    this.#states.set(place.number, now);
    const ready = { ...readyTuning(now, installed), made: ++this.#made };
    this.#ready.set(place.number, { manifest, ready });
    this.#lookOut(place.number, ready);
    return ready;
  }

  /** How it was tuned at one moment, under the manifest of now. */
  async asOf(place: EnvironmentRow, state: TuningState): Promise<ReadyTuning> {
    const ready = await this.of(place);
    return ready.state === state ? ready : { ...readyTuning(state, ready.installed), made: ready.made };
  }

  /** Takes in what a commit did. */
  heed(event: FeedEvent): void {
    if (event.what === 'tuning') {
      this.#states.set(event.state.environment, event.state);
      this.onChanged(event.state.environment, event.state);
    }
    if (event.what === 'environment') {
      const { number } = event.row;
      const manifest = manifestNamed(event.row);
      const isOther = this.#manifests.get(number) !== manifest;
      this.#manifests.set(number, manifest);
      const state = this.#states.get(number);
      if (isOther && state !== undefined) this.onChanged(number, state);
    }
  }

  /**
   * What somebody gets now.
   *
   * @param spoken the manifest whose names they know; the newest if left out
   */
  toldTo(ready: ReadyTuning, who: Who, spoken: Manifest = ready.installed.rules.manifest): TuningTold {
    const now = this.#clock.now();
    const { manifest, check } = ready.installed.rules;
    const isTester = who.player !== undefined && ready.testers.has(who.player);
    const tuning = isTester ? ready.draft : ready.running;
    const coming = who.player === undefined ? [] : tuning.coming(who, now, mostComing);
    const next = who.player === undefined ? tuning.nextEdge(now) : (coming[0]?.at ?? null);
    const inTheirNames = (values: TuningTold['values']) => spokenTunables(values, manifest, spoken, check);
    return {
      edition: ready.state.edition,
      values: inTheirNames(tuning.values(who, now)),
      nextChangeAt: next === null ? null : rfc3339(next),
      ...(coming.length > 0 && {
        coming: coming.map(({ at, values }) => ({ at: rfc3339(at), values: inTheirNames(values) })),
      }),
      ...(isTester && { draft: ready.state.revision }),
    };
  }

  /** The same as long as nothing has changed that anybody could notice who has not changed themselves. */
  stampOf({ made, state, installed, running, draft }: ReadyTuning, isTester: boolean): string {
    const now = this.#clock.now();
    // Only testers notice edits.
    if (isTester) return `${made}@${draft.lastEdge(now)}`;
    return `${state.edition}.${installed.version}.${installed.learned}@${running.lastEdge(now)}`;
  }

  /** The id under which a stream tells how things stand: another at every publication, manifest and edge. */
  eventIdOf({ state, installed, running }: ReadyTuning): string {
    return `${state.edition}.${installed.version}.${running.lastEdge(this.#clock.now())}`;
  }

  close(): void {
    clearTimeout(this.#timer);
  }

  #lookOut(environment: number, { running, draft }: ReadyTuning): void {
    const now = this.#clock.now();
    const edges = [running.nextEdge(now), draft.nextEdge(now)].filter((edge) => edge !== null);
    if (edges.length === 0) this.#edges.delete(environment);
    else this.#edges.set(environment, Math.min(...edges));
    this.#wait();
  }

  #wait(): void {
    clearTimeout(this.#timer);
    if (this.#edges.size === 0) return;
    const wait = Math.min(...this.#edges.values()) - this.#clock.now();
    this.#timer = setTimeout(() => this.#passEdges(), Math.min(Math.max(wait, 0), longestWait)).unref();
  }

  #passEdges(): void {
    const now = this.#clock.now();
    for (const [environment, edge] of this.#edges) {
      if (edge > now) continue;
      const held = this.#ready.get(environment);
      if (held === undefined) this.#edges.delete(environment);
      else this.#lookOut(environment, held.ready);
      // What was just published may not be ready yet: it is told as it is now, never as it was.
      if (held !== undefined) this.onChanged(environment, this.#states.get(environment) ?? held.ready.state);
    }
    this.#wait();
  }
}

function manifestNamed({ manifest_version, learned, learns }: EnvironmentRow): string {
  return `${manifest_version}.${learned}.${learns}`;
}

function readyTuning(state: TuningState, installed: InstalledManifest): Omit<ReadyTuning, 'made'> {
  const { rules } = readEdition(state.content, installed.rules);
  const content = underCurrentNames(state.content, installed.rules.manifest);
  const edits = underCurrentNames(state.edits, installed.rules.manifest);
  const drafted =
    Object.keys(edits).length === 0 ? rules : readEdition(asPublished(edits, content), installed.rules).rules;
  const running = new Tuning(rules);
  return {
    state,
    installed,
    rules,
    running,
    draft: drafted === rules ? running : new Tuning(drafted),
    testers: new Set(state.testers),
  };
}
