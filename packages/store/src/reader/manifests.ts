import { compareManifests, keysToCheck, withNamesOverTime, type Difference, type Manifest } from '@vekkon/core';
import type { MisfitCount } from '@vekkon/protocol';
import type { Kysely } from 'kysely';
import { manifestFrom, type InstalledManifest, type Manifests } from '../manifests.js';
import { countBeside, recount, type CountedBeside } from '../misfits-beside.js';
import { countMisfits, misfitsUnder, type FoundMisfit } from '../misfits.js';
import type { EnvironmentRow, LearnedRow, Tables } from '../tables.js';
import type { TuningBroken, TuningReads } from './tuning.js';

/** What installing a manifest would do. */
export interface ManifestDiff {
  readonly differences: readonly Difference[];
  /** Names that meant something else before: with these it can't be installed. */
  readonly conflicts: readonly string[];
  readonly misfits: readonly MisfitCount[];
  /** Hosts that players are on, built against a version that would break. */
  readonly hosts: readonly {
    readonly host: string;
    readonly version: number;
    readonly sessions: number;
    readonly breaks: readonly Difference[];
  }[];
  /** What is published or edited and would count no more. */
  readonly tuning: readonly TuningBroken[];
}

/** What is installed, what was, and what another would change. */
export class ManifestReads {
  readonly #db: Kysely<Tables>;
  readonly #manifests: Manifests;
  readonly #tuning: TuningReads;

  constructor(db: Kysely<Tables>, manifests: Manifests, tuning: TuningReads) {
    this.#db = db;
    this.#manifests = manifests;
    this.#tuning = tuning;
  }

  async newestOf(environment: EnvironmentRow): Promise<InstalledManifest> {
    return this.#manifests.newestOf(environment);
  }

  /** One version of an environment's manifest; the newest if none is named. */
  async version(environment: EnvironmentRow, version: number | undefined): Promise<InstalledManifest> {
    if (version === undefined) return this.#manifests.newestOf(environment);
    return this.#manifests.versionOf(environment, version);
  }

  /** The file of a version, as it was sent. */
  async source(environment: number, version: number): Promise<string> {
    const row = await this.#db
      .selectFrom('manifests')
      .select('source')
      .where('environment', '=', environment)
      .where('version', '=', version)
      .executeTakeFirstOrThrow();
    return row.source;
  }

  /** The versions that were installed, the newest first. */
  async versions(environment: number) {
    return this.#db
      .selectFrom('manifests')
      .select(['version', 'installed_at', 'by'])
      .where('environment', '=', environment)
      .orderBy('version', 'desc')
      .limit(500)
      .execute();
  }

  async learnedBy(environment: number): Promise<readonly LearnedRow[]> {
    return this.#manifests.learnedBy(environment);
  }

  /** What a manifest would change, beside what is installed. */
  async diff(environment: EnvironmentRow, sent: Manifest): Promise<ManifestDiff> {
    if (environment.manifest_version === null) {
      return { differences: [], conflicts: [], misfits: [], hosts: [], tuning: [] };
    }
    const { before, conflicts, manifest } = await this.#asItWouldBe(environment, sent);
    const differences = compareManifests(before, manifest);
    const misfits = await countMisfits(this.#db, environment.number, manifest, keysToCheck(before, manifest));
    const hosts = await this.#hostsBrokenBy(environment, manifest);
    const tuning = await this.#tuning.brokenBy(environment.number, manifest);
    return { differences, conflicts, misfits, hosts, tuning };
  }

  /**
   * The misfits that installing a manifest would make, counted beside the writer.
   */
  async misfitsBeside(environment: EnvironmentRow, sent: Manifest): Promise<readonly CountedBeside[]> {
    if (environment.manifest_version === null) return [];
    const { before, manifest } = await this.#asItWouldBe(environment, sent);
    return countBeside(this.#db, environment.number, manifest, keysToCheck(before, manifest));
  }

  /** The same after some players have changed meanwhile. */
  async misfitsBesideAgain(
    environment: EnvironmentRow,
    sent: Manifest,
    counted: readonly CountedBeside[],
    changed: readonly number[],
  ): Promise<readonly CountedBeside[]> {
    const { manifest } = await this.#asItWouldBe(environment, sent);
    return recount(this.#db, manifest, counted, changed);
  }

  /** What is installed, and a manifest as it would be in force. */
  async #asItWouldBe(environment: EnvironmentRow, sent: Manifest) {
    const before = (await this.#manifests.newestOf(environment)).rules.manifest;
    const { manifest: named, conflicts } = withNamesOverTime(sent, before);
    return { before, conflicts, manifest: await this.#manifests.withWhatStaysLearned(environment, named) };
  }

  /** Stored values that the installed manifest does not allow. */
  async misfits(environment: EnvironmentRow, count: number): Promise<readonly FoundMisfit[]> {
    const { manifest } = (await this.#manifests.newestOf(environment)).rules;
    const found: FoundMisfit[] = [];
    for (const declared of await this.#everDeclared(environment.number)) {
      for await (const misfit of misfitsUnder(this.#db, environment.number, manifest, declared)) {
        if (found.push(misfit) >= count) return found;
      }
    }
    return found;
  }

  /** Every `kind/name` under which something may be stored: nothing is that was never declared. */
  async #everDeclared(environment: number): Promise<ReadonlySet<string>> {
    const rows = await this.#db
      .selectFrom('manifests')
      .select('manifest')
      .where('environment', '=', environment)
      .execute();
    const declared = rows.flatMap(({ manifest }) => Object.keys(manifestFrom(manifest).records));
    const learned = await this.#manifests.learnedBy(environment);
    return new Set([...declared, ...learned.flatMap(({ section, name }) => (section === 'records' ? name : []))]);
  }

  /** Hosts with open sessions whose version a manifest would break. */
  async #hostsBrokenBy(environment: EnvironmentRow, next: Manifest): Promise<ManifestDiff['hosts']> {
    const rows = await this.#db
      .selectFrom('sessions')
      .select(['host', 'manifest_version'])
      .select((select) => select.fn.countAll<number>().as('sessions'))
      .where('environment', '=', environment.number)
      .where('ended_at', 'is', null)
      .groupBy(['host', 'manifest_version'])
      .orderBy('host')
      .execute();
    const hosts: ManifestDiff['hosts'][number][] = [];
    for (const { host, manifest_version: version, sessions } of rows) {
      const { manifest } = (await this.#manifests.versionOf(environment, version)).rules;
      const breaks = compareManifests(manifest, next).filter((one) => one.breaks);
      if (breaks.length > 0) hosts.push({ host, version, sessions, breaks });
    }
    return hosts;
  }
}
