import type { Kysely } from 'kysely';
import type { Manifest, Rules } from '@vekkon/core';
import { schemaChecks } from '@vekkon/core/manifest-file';
import { Refusal } from '@vekkon/protocol';
import type { EnvironmentRow, Tables } from './tables.js';

export interface InstalledManifest {
  readonly version: number;
  readonly installedAt: number;
  readonly rules: Rules;
}

/** The installed manifests. A version never changes, so each is read and compiled once. */
export class Manifests {
  readonly #kept = new Map<string, InstalledManifest>();

  constructor(readonly db: Kysely<Tables>) {}

  /** The newest of an environment; refused with `manifest-not-installed` if there is none. */
  async newestOf(environment: EnvironmentRow): Promise<InstalledManifest> {
    const version = environment.manifest_version;
    if (version === null) throw new Refusal('manifest-not-installed');
    const name = `${environment.number}:${version}`;
    const kept = this.#kept.get(name);
    if (kept !== undefined) return kept;
    const row = await this.db
      .selectFrom('manifests')
      .select(['manifest', 'installed_at'])
      .where('environment', '=', environment.number)
      .where('version', '=', version)
      .executeTakeFirstOrThrow();
    const manifest = JSON.parse(row.manifest) as Manifest;
    const installed = {
      version,
      installedAt: row.installed_at,
      rules: { manifest, check: schemaChecks(manifest) },
    };
    this.#kept.set(name, installed);
    return installed;
  }
}
