import type { Json } from '@vekkon/core';
import type { Kysely, Selectable } from 'kysely';
import { rfc3339 } from '../clock.js';
import type { PlayerRow, Tables } from '../tables.js';
import { recordsIn } from '../writer/checkpoints-in-work.js';

/** Where a page of rows ended: the values of the columns that order them. */
export type ExportCursor = readonly (string | number)[];

/** Rows of one part, each as JSON text. */
export interface ExportedRows {
  readonly rows: readonly string[];
  /** What to ask for as `after`; null where nothing is left. */
  readonly next: ExportCursor | null;
}

type Who = Pick<PlayerRow, 'number' | 'environment' | 'id'>;

interface Asked {
  readonly db: Kysely<Tables>;
  readonly player: Who;
  readonly after: ExportCursor | null;
  readonly count: number;
}

interface Row {
  readonly shown: { readonly [name: string]: unknown };
  readonly at: ExportCursor;
}

/** How many values are read at a time: each may take 256 KiB. */
const mostValues = 16;

/** Everything that is kept of one player, in the order in which an export has it; each read by its index. */
const parts = {
  async records({ db, player, after, count }) {
    const rows = await db
      .selectFrom('records')
      .selectAll()
      .where('player', '=', player.number)
      .where('key', '>', String(after?.[0] ?? ''))
      .orderBy('key')
      .limit(count)
      .execute();
    return rows.map(({ key, revision, value, removed, changed_at: changedAt }) => ({
      shown: { key, revision, ...valueOf(value, removed), changedAt: rfc3339(changedAt) },
      at: [key],
    }));
  },
  async history({ db, player, after, count }) {
    const [key = '', revision = 0] = after ?? [];
    const rows = await db
      .selectFrom('history')
      .selectAll()
      .where('player', '=', player.number)
      .where('key', '>=', String(key))
      .where((where) => where.or([where('key', '>', String(key)), where('revision', '>', Number(revision))]))
      .orderBy('key')
      .orderBy('revision')
      .limit(Math.min(count, mostValues))
      .execute();
    return rows.map(({ key: one, revision: number, value, removed, at, session, by, label }) => ({
      shown: { key: one, revision: number, ...valueOf(value, removed), at: rfc3339(at), session, by, label },
      at: [one, number],
    }));
  },
  async ledger(asked) {
    const rows = await numbered('ledger', asked);
    return rows.map(({ number, player: _, at, ...line }) => ({ shown: { at: rfc3339(at), ...line }, at: [number] }));
  },
  async sessions({ db, player, after, count }) {
    const rows = await db
      .selectFrom('sessions')
      .selectAll()
      .where('player', '=', player.number)
      .where('fence', '>', numberIn(after))
      .orderBy('fence')
      .limit(count)
      .execute();
    return rows.map((row) => ({
      shown: {
        id: row.id,
        host: row.host,
        device: row.device,
        attributes: parsed(row.attributes),
        joinedAt: rfc3339(row.joined_at),
        endedAt: timeOf(row.ended_at),
        end: row.end,
        saves: row.next_save - 1,
      },
      at: [row.fence],
    }));
  },
  async checkpoints(asked) {
    // Each of them is a copy of all records: one at a time.
    const rows = await numbered('checkpoints', { ...asked, count: 1 });
    return rows.map(({ number, name, summary, at, by, records }) => ({
      shown: { name, summary, at: rfc3339(at), by, records: Object.fromEntries(recordsIn(records)) },
      at: [number],
    }));
  },
  async trash(asked) {
    const rows = await numbered('trash', { ...asked, count: Math.min(asked.count, mostValues) });
    return rows.map(({ number, key, revision, value, at, why, by }) => ({
      shown: { key, revision, value: parsed(value), at: rfc3339(at), why, by },
      at: [number],
    }));
  },
  async unsettled({ db, player, after, count }) {
    const rows = await db
      .selectFrom('unsettled')
      .selectAll()
      .where('player', '=', player.number)
      .where('id', '>', String(after?.[0] ?? ''))
      .orderBy('id')
      .limit(count)
      .execute();
    return rows.map(({ id, host, content, reason, detail, first_at: firstAt, last_at: lastAt, count: times }) => ({
      shown: {
        ...{ id, host, reason, detail, times, transaction: parsed(content) },
        firstAt: rfc3339(firstAt),
        lastAt: rfc3339(lastAt),
      },
      at: [id],
    }));
  },
  async devices(asked) {
    const rows = await numbered('devices', asked);
    return rows.map(({ number, id, name, created_at: createdAt, revoked_at: revokedAt }) => ({
      shown: { id, name, createdAt: rfc3339(createdAt), shutOutAt: timeOf(revokedAt) },
      at: [number],
    }));
  },
  async account({ db, player, after }) {
    if (after !== null) return [];
    const rows = await db.selectFrom('accounts').selectAll().where('player', '=', player.number).execute();
    const known = await db
      .selectFrom('identities')
      .innerJoin('accounts', 'accounts.number', 'identities.account')
      .selectAll('identities')
      .where('accounts.player', '=', player.number)
      .orderBy('provider')
      .execute();
    const identities = known.map(({ provider, issuer, subject, email, created_at, used_at }) => ({
      ...{ provider, issuer, subject, email },
      since: rfc3339(created_at),
      usedAt: rfc3339(used_at),
    }));
    return rows.map(({ number, email, confirmed_at: confirmedAt, created_at: createdAt, disabled_at: disabledAt }) => ({
      shown: {
        email,
        confirmedAt: timeOf(confirmedAt),
        createdAt: rfc3339(createdAt),
        shutOutAt: timeOf(disabledAt),
        identities,
      },
      at: [number],
    }));
  },
  async signIns({ db, player, after, count }) {
    const rows = await db
      .selectFrom('sign_ins')
      .innerJoin('accounts', 'accounts.number', 'sign_ins.account')
      .innerJoin('devices', 'devices.number', 'sign_ins.device')
      .selectAll('sign_ins')
      .select('devices.id as device_id')
      .where('accounts.player', '=', player.number)
      .where('sign_ins.id', '>', String(after?.[0] ?? ''))
      .orderBy('sign_ins.id')
      .limit(count)
      .execute();
    return rows.map(({ id, device_id: device, created_at: at, used_at: usedAt, address, ended_at: endedAt }) => ({
      shown: { device, at: rfc3339(at), usedAt: rfc3339(usedAt), address, endedAt: timeOf(endedAt) },
      at: [id],
    }));
  },
  async standings({ db, player, after, count }) {
    const [board = 0, season = 0] = after ?? [];
    const rows = await db
      .selectFrom('standings')
      .innerJoin('boards', 'boards.number', 'standings.board')
      .select(['boards.key', 'standings.board', 'standings.season', 'value', 'reached', 'rank'])
      .where('standings.player', '=', player.number)
      .where('standings.board', '>=', Number(board))
      .where((where) =>
        where.or([where('standings.board', '>', Number(board)), where('standings.season', '>', Number(season))]),
      )
      .orderBy('standings.board')
      .orderBy('standings.season')
      .limit(count)
      .execute();
    return rows.map(({ key, board: number, season: of, value, reached, rank }) => ({
      shown: { board: key, season: of, value, reached: rfc3339(reached), rank },
      at: [number, of],
    }));
  },
  async activity({ db, player, after, count }) {
    const rows = await db
      .selectFrom('activity')
      .selectAll()
      .where('environment', '=', player.environment)
      .where('player', '=', player.id)
      .where('number', '>', numberIn(after))
      .orderBy('number')
      .limit(count)
      .execute();
    return rows.map(({ number, at, what, by, detail }) => ({
      shown: { at: rfc3339(at), what, by, detail },
      at: [number],
    }));
  },
} satisfies { readonly [name: string]: (asked: Asked) => Promise<readonly Row[]> };

export type ExportPart = keyof typeof parts;

/** The parts of an export, in their order. */
export const exportParts = Object.keys(parts) as readonly ExportPart[];

/** Reads everything that is kept of a player, page by page. */
export class ExportReads {
  readonly #db: Kysely<Tables>;

  constructor(db: Kysely<Tables>) {
    this.#db = db;
  }

  /** A page of one part, in a stable order. */
  async rows(player: Who, part: ExportPart, after: ExportCursor | null, count: number): Promise<ExportedRows> {
    const rows = await parts[part]({ db: this.#db, player, after, count });
    const last = rows.at(-1);
    // A part may give fewer at a time than it was asked for: it is over when it gives none.
    return { rows: rows.map(({ shown }) => JSON.stringify(shown)), next: last === undefined ? null : last.at };
  }
}

/** Rows of a player in the order of their numbers, from one of the tables that have them. */
async function numbered<Table extends 'ledger' | 'checkpoints' | 'trash' | 'devices'>(
  table: Table,
  { db, player, after, count }: Asked,
): Promise<readonly Selectable<Tables[Table]>[]> {
  // One query for all of them: what it asks of the table is the same.
  const rows = await db
    .selectFrom(table as 'ledger')
    .selectAll()
    .where('player', '=', player.number)
    .where('number', '>', numberIn(after))
    .orderBy('number')
    .limit(count)
    .execute();
  return rows as unknown as readonly Selectable<Tables[Table]>[];
}

function valueOf(value: string, removed: number): object {
  return removed === 1 ? { removed: true } : { value: parsed(value) };
}

function parsed(text: string): Json {
  return JSON.parse(text) as Json;
}

function timeOf(time: number | null): string | null {
  return time === null ? null : rfc3339(time);
}

function numberIn(after: ExportCursor | null): number {
  return Number(after?.[0] ?? 0);
}
