import { withNamesOverTime, type Manifest } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { recount, type CountedBeside } from '../../misfits-beside.js';
import type { EnvironmentRow } from '../../tables.js';
import { environmentOf, updateEnvironment, type Stamp, type WriterContext } from '../context.js';
import { note } from './activity.js';
import { declareBoards } from './tend-seasons.js';

export interface InstallManifest {
  readonly environment: number;
  readonly manifest: Manifest;
  /** The file as it was sent. */
  readonly source: string;
  /** Install it though stored records would not fit: they are kept, and read as starting values. */
  readonly acceptMisfits: boolean;
  /** What was counted beside the writer, and the watch that was begun before. */
  readonly counted: readonly CountedBeside[];
  readonly watch: string;
  /** How many counts of players who changed meanwhile may be made here, while nobody else is written. */
  readonly recountsAtMost: number;
  /** How the environment stood when it was counted: another manifest since then makes it worth nothing. */
  readonly countedAt: Pick<EnvironmentRow, 'manifest_version' | 'learned' | 'learns'>;
  readonly by: string;
}

/** Takes note of the players that are written from now on, for an install that is being counted. */
export async function watchPlayers(
  { changedMeanwhile }: WriterContext,
  { watch }: { readonly watch: string } & Stamp,
): Promise<null> {
  changedMeanwhile.watch(watch);
  return null;
}

/** What was counted is worth nothing: something else was installed, or it is not known who has changed since. */
export interface CountAgain {
  readonly countAgain: true;
}

/** Too many have changed to be counted anew here: the watch goes on, and has forgotten these. */
export interface CountMore {
  /** Players, by number. */
  readonly changed: readonly number[];
}

/** Makes a manifest the next version, at once for everything that comes after. */
export async function installManifest(
  context: WriterContext,
  install: InstallManifest & Stamp,
): Promise<{ readonly version: number; readonly unchanged?: true } | CountAgain | CountMore> {
  const { environment: number, manifest: sent, source, acceptMisfits, by, now } = install;
  const { db } = context;
  const changed = context.changedMeanwhile.noted(install.watch);
  context.changedMeanwhile.end(install.watch);
  const environment = await environmentOf(context, number);
  if (sent.game !== environment.game) {
    throw new Refusal(
      'manifest-is-other-game',
      `This manifest is of "${sent.game}", and the environment is ${environment.game}/${environment.name}: nothing was installed.`,
    );
  }
  const before = environment.manifest_version === null ? null : (await context.manifests.newestOf(environment)).rules;
  const { manifest, conflicts } =
    before === null ? { manifest: sent, conflicts: [] } : withNamesOverTime(sent, before.manifest);
  if (conflicts.length > 0) throw new Refusal('manifest-names-conflict', conflicts.join(' '));
  const text = JSON.stringify(manifest);
  if (environment.manifest_version !== null && (await textOf(context, number, environment.manifest_version)) === text) {
    // What it says is the same; how it is written may be another.
    await db
      .updateTable('manifests')
      .set({ source })
      .where('environment', '=', number)
      .where('version', '=', environment.manifest_version)
      .execute();
    return { version: environment.manifest_version, unchanged: true };
  }
  const inForce = await context.manifests.withWhatStaysLearned(environment, manifest);
  const { counted, countedAt } = install;
  const isAsCounted =
    countedAt.manifest_version === environment.manifest_version &&
    countedAt.learned === environment.learned &&
    countedAt.learns === environment.learns;
  if (before !== null && (changed === undefined || !isAsCounted)) return { countAgain: true };
  if (before !== null && (changed?.size ?? 0) * counted.length > install.recountsAtMost) {
    context.changedMeanwhile.watch(install.watch);
    return { changed: [...(changed ?? [])] };
  }
  const recounted = before === null ? [] : await recount(db, inForce, counted, changed ?? []);
  const misfits = recounted.flatMap(({ key, count, examples }) => (count > 0 ? [{ key, count, examples }] : []));
  const records = misfits.reduce((sum, one) => sum + one.count, 0);
  if (records > 0 && !acceptMisfits) {
    throw new Refusal(
      'manifest-misfits',
      `${records} stored ${records === 1 ? 'record' : 'records'} would not fit (${misfits.map((one) => `${one.count} of ${one.key}`).join(', ')}): nothing was installed. Change the manifest, or accept misfits: they are kept, and read as starting values until somebody deals with them.`,
      { misfits },
    );
  }
  const version = (environment.manifest_version ?? 0) + 1;
  await db
    .insertInto('manifests')
    .values({ environment: number, version, source, manifest: text, installed_at: now, by })
    .execute();
  const forgets = await forgetLearned(context, number, manifest, environment.learns === 1);
  await updateEnvironment(context, number, { manifest_version: version, learned: forgets });
  await declareBoards(context, number, inForce, install);
  const detail = `version ${version}${records > 0 ? `, with ${records} misfits accepted` : ''}`;
  await note(context, { environment: number, what: 'manifest-installed', by, player: null, detail, now });
  return { version };
}

async function textOf({ db }: WriterContext, environment: number, version: number): Promise<string | undefined> {
  const row = await db
    .selectFrom('manifests')
    .select('manifest')
    .where('environment', '=', environment)
    .where('version', '=', version)
    .executeTakeFirst();
  return row?.manifest;
}

/**
 * What was learned and is declared in the file now is learned no more; what is
 * not stays learned for as long as the environment learns.
 *
 * @returns how much stays learned
 */
async function forgetLearned({ db }: WriterContext, environment: number, manifest: Manifest, learns: boolean) {
  const rows = await db
    .selectFrom('learned')
    .select(['section', 'name'])
    .where('environment', '=', environment)
    .execute();
  let left = rows.length;
  for (const { section, name } of rows) {
    if (learns && !Object.hasOwn(manifest[section], name)) continue;
    left--;
    await db
      .deleteFrom('learned')
      .where('environment', '=', environment)
      .where('section', '=', section)
      .where('name', '=', name)
      .execute();
  }
  return left;
}
