import { Migrator, type Kysely, type Migration } from 'kysely';
import * as changesFromOutside from './0003-changes-from-outside.js';
import * as manifestsOverTime from './0004-manifests-over-time.js';
import * as gamesOnDevices from './0005-games-on-devices.js';
import * as nothingLost from './0006-nothing-lost.js';
import * as nobodyStuck from './0007-nobody-stuck.js';
import * as aMillionPlayers from './0008-a-million-players.js';
import * as boards from './0009-boards.js';
import * as tuning from './0010-tuning.js';
import * as manyAtOnce from './0011-many-at-once.js';
import * as whatHappened from './0012-what-happened.js';
import * as tombstones from './0013-tombstones-without-names.js';
import * as terms from './0014-terms.js';
import * as foundBy from './0015-found-by.js';
import * as accounts from './0016-accounts.js';
import * as operators from './0017-operators.js';
import * as identities from './0018-identities.js';
import type { Tables } from '../tables.js';
import * as firstSlice from './0001-first-slice.js';
import * as sessionsThatNeverLose from './0002-sessions-that-never-lose.js';

/** In order. A migration that has landed is never changed: write the next one. */
const migrations: Record<string, Migration> = {
  '0001-first-slice': firstSlice,
  '0002-sessions-that-never-lose': sessionsThatNeverLose,
  '0003-changes-from-outside': changesFromOutside,
  '0004-manifests-over-time': manifestsOverTime,
  '0005-games-on-devices': gamesOnDevices,
  '0006-nothing-lost': nothingLost,
  '0007-nobody-stuck': nobodyStuck,
  '0008-a-million-players': aMillionPlayers,
  '0009-boards': boards,
  '0010-tuning': tuning,
  '0011-many-at-once': manyAtOnce,
  '0012-what-happened': whatHappened,
  '0013-tombstones-without-names': tombstones,
  '0014-terms': terms,
  '0015-found-by': foundBy,
  '0016-accounts': accounts,
  '0017-operators': operators,
  '0018-identities': identities,
};

/** The migration that a database of this version stands at. */
export const newestMigration = Object.keys(migrations).at(-1) ?? '';

/** Brings a database to the newest migration. @returns those that it lacked @throws what went wrong */
export async function migrate(db: Kysely<Tables>): Promise<readonly string[]> {
  const migrator = new Migrator({ db, provider: { getMigrations: async () => migrations } });
  const { error, results = [] } = await migrator.migrateToLatest();
  if (error !== undefined) throw error;
  return results.map(({ migrationName }) => migrationName);
}

/** Before it, what was erased could still stand in what the database had freed. */
export const erasesWhatItFrees = '0006-nothing-lost';
