import type { Kysely } from 'kysely';
import {
  withLearned,
  type ItemDeclaration,
  type Learned,
  type Manifest,
  type RecordDeclaration,
  type Rules,
} from '@vekkon/core';
import { checkSchema } from '@vekkon/core/schema-check';
import { Refusal } from '@vekkon/protocol/problems';
import type { EnvironmentRow, LearnedRow, Tables } from './tables.js';

export interface InstalledManifest {
  readonly version: number;
  /** How often what the environment has learned has changed. */
  readonly learned: number;
  readonly installedAt: number;
  readonly rules: Rules;
}

/** A map, or one that is undone with what commands note. */
type KeptManifests = Pick<Map<string, InstalledManifest>, 'get' | 'size' | 'keys'> & {
  set(name: string, installed: InstalledManifest): unknown;
  delete(name: string): unknown;
};

const mostKept = 1_000;

/** The installed manifests. A version never changes, so each is read once; what is learned comes on top. */
export class Manifests {
  readonly #kept: KeptManifests;

  /** @param kept where those that were read are kept; the writer brings what is undone with its commands */
  constructor(
    readonly db: Kysely<Tables>,
    kept: KeptManifests = new Map<string, InstalledManifest>(),
  ) {
    this.#kept = kept;
  }

  /** The newest of an environment; refused with `manifest-not-installed` if there is none. */
  async newestOf(environment: EnvironmentRow): Promise<InstalledManifest> {
    const version = environment.manifest_version;
    if (version === null) throw new Refusal('manifest-not-installed');
    return this.versionOf(environment, version);
  }

  /** The newest of an environment, where it was read before. */
  keptNewestOf({ number, manifest_version, learned, learns }: EnvironmentRow): InstalledManifest | undefined {
    return manifest_version === null ? undefined : this.#kept.get(nameOf(number, manifest_version, learned, learns));
  }

  /** One version, with what the environment has learned since; refused with `manifest-version-unknown`. */
  async versionOf(environment: EnvironmentRow, version: number): Promise<InstalledManifest> {
    const name = nameOf(environment.number, version, environment.learned, environment.learns);
    const kept = this.#kept.get(name);
    if (kept !== undefined) return kept;
    const row = await this.db
      .selectFrom('manifests')
      .select(['manifest', 'installed_at'])
      .where('environment', '=', environment.number)
      .where('version', '=', version)
      .executeTakeFirst();
    if (row === undefined) {
      throw new Refusal(
        'manifest-version-unknown',
        `Version ${version} is not installed in ${environment.game}/${environment.name}, whose newest is ${environment.manifest_version ?? 'none'}: install it first, or leave "manifest" out.`,
      );
    }
    const declared = manifestFrom(row.manifest);
    const manifest =
      environment.learned === 0
        ? declared
        : withLearned(declared, learnedFrom(await this.learnedBy(environment.number)));
    const installed: InstalledManifest = {
      version,
      learned: environment.learned,
      installedAt: row.installed_at,
      rules: { manifest, check: checkSchema, learns: environment.learns === 1 },
    };
    this.#kept.set(name, installed);
    for (const oldest of this.#kept.keys()) {
      if (this.#kept.size <= mostKept) break;
      this.#kept.delete(oldest);
    }
    return installed;
  }

  /** What an environment has learned, the oldest first. */
  async learnedBy(environment: number): Promise<readonly LearnedRow[]> {
    return this.db
      .selectFrom('learned')
      .selectAll()
      .where('environment', '=', environment)
      .orderBy('at')
      .orderBy('name')
      .execute();
  }

  /** A manifest as it would be in force: where the environment learns, what it has learned stays declared beside it. */
  async withWhatStaysLearned(environment: EnvironmentRow, manifest: Manifest): Promise<Manifest> {
    if (environment.learns !== 1) return manifest;
    return withLearned(manifest, learnedFrom(await this.learnedBy(environment.number)));
  }
}

/** Under which name a manifest is kept. */
function nameOf(environment: number, version: number, learned: number, learns: number): string {
  return `${environment}:${version}:${learned}:${learns}`;
}

/** A manifest as it is stored. Older ones lack the sections, and the words, that came later. */
export function manifestFrom(text: string): Manifest {
  const stored = { items: {}, attributes: {}, ...(JSON.parse(text) as Partial<Manifest>) } as Manifest;
  const records = Object.entries(stored.records).map(([key, one]) => [
    key,
    one.kind === 'score' ? { ...one, season: (one as Partial<typeof one>).season ?? 'none' } : one,
  ]);
  return { ...stored, records: Object.fromEntries(records) as Manifest['records'] };
}

function learnedFrom(rows: readonly LearnedRow[]): Learned {
  const records: { [key: string]: RecordDeclaration } = {};
  const items: { [name: string]: ItemDeclaration } = {};
  for (const { section, name, declaration } of rows) {
    if (section === 'records') records[name] = JSON.parse(declaration) as RecordDeclaration;
    else items[name] = JSON.parse(declaration) as ItemDeclaration;
  }
  return { records, items };
}
