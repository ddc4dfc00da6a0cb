import type Database from 'better-sqlite3';
import { sql, type Kysely } from 'kysely';
import type { Tables } from '../../tables.js';

/** The fewest letters that the index of parts knows. */
export const fewestLetters = 3;

/**
 * Makes the index of every three letters in players' names and ids, where it
 * is missing, and keeps it by triggers. What is erased is erased from it too.
 *
 * Source: SQLite FTS5, the trigram tokenizer and external content tables.
 */
export function indexPlayerParts(database: Database.Database): void {
  const known = database.prepare("select 1 from sqlite_master where name = 'player_parts'").get();
  if (known !== undefined) return;
  database.exec(`
    begin;
    create virtual table player_parts using fts5(folded, content = 'players', content_rowid = 'number', tokenize = 'trigram case_sensitive 1');
    insert into player_parts (player_parts, rank) values ('secure-delete', 1);
    insert into player_parts (player_parts) values ('rebuild');
    create trigger player_parts_insert after insert on players begin
      insert into player_parts (rowid, folded) values (new.number, new.folded);
    end;
    create trigger player_parts_delete after delete on players begin
      insert into player_parts (player_parts, rowid, folded) values ('delete', old.number, old.folded);
    end;
    create trigger player_parts_update after update of folded on players when old.folded is not new.folded begin
      insert into player_parts (player_parts, rowid, folded) values ('delete', old.number, old.folded);
      insert into player_parts (rowid, folded) values (new.number, new.folded);
    end;
    commit;
  `);
}

/** The numbers of players in whose folded id or name the text stands, who was made last first. */
export async function playersWithPart(
  db: Kysely<Tables>,
  environment: number,
  text: string,
  most: number,
  before: number,
): Promise<readonly number[]> {
  const phrase = `"${text.replaceAll('"', '""')}"`;
  const { rows } = await sql<{ readonly number: number }>`
    select players.number from player_parts
    join players on players.number = player_parts.rowid
    where player_parts match ${phrase} and player_parts.rowid < ${before} and players.environment = ${environment}
    order by player_parts.rowid desc limit ${most}
  `.execute(db);
  return rows.map(({ number }) => number);
}
