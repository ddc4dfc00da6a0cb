import { sql, type Kysely } from 'kysely';

/** Every join and leave stands in the activity, for a while, and is found by who, what and whose; terms for each environment. */
export async function up(db: Kysely<unknown>): Promise<void> {
  await db.schema.alterTable('activity').addColumn('until', 'bigint').execute();
  // What was noted until now was to be kept for 400 days.
  await sql`update activity set "until" = at + 34560000000`.execute(db);
  await db.schema.dropIndex('activity_by_time').execute();
  await db.schema.createIndex('activity_by_end').on('activity').column('until').execute();
  await db.schema.createIndex('activity_by_what').on('activity').columns(['environment', 'what', 'number']).execute();
  await db.schema.createIndex('activity_by_whom').on('activity').columns(['environment', 'by', 'number']).execute();
}
