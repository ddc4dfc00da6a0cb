import {
  applyTransaction,
  checkPlayerSize,
  checkRecordSize,
  type ChangeProblem,
  type Json,
  type LedgerLine,
  type Records,
  type Rules,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import type { Kysely } from 'kysely';
import type { NewHistoryRow, NewLedgerRow, PlayerRow, Tables } from '../tables.js';

/** Where a change came from, as history and ledger keep it. */
interface Origin {
  readonly session: string | null;
  readonly label: string | null;
  /** Milliseconds since 1970, UTC. */
  readonly at: number;
}

type Outcome =
  | { readonly applied: true }
  | { readonly applied: false; readonly problem: ChangeProblem & { readonly change: number } };

/** One player's records while a command changes them: read whole, decided by the rules, written together. */
export class RecordsInWork {
  readonly #db: Kysely<Tables>;
  readonly #player: number;
  readonly #records: Map<string, StoredRecord>;
  readonly #seenOf: Map<string, number>;
  readonly #bytesOf: Map<string, number>;
  #bytes: number;
  readonly #history: Omit<NewHistoryRow, 'player' | 'seen'>[] = [];
  readonly #ledger: NewLedgerRow[] = [];
  readonly #changed = new Map<string, { readonly record: StoredRecord; readonly text: string }>();

  private constructor(db: Kysely<Tables>, player: number, rows: readonly RecordRow[]) {
    this.#db = db;
    this.#player = player;
    this.#records = new Map(
      rows.map((row) => [row.key, { revision: row.revision, value: JSON.parse(row.value) as Json }]),
    );
    this.#seenOf = new Map(rows.map((row) => [row.key, row.seen]));
    this.#bytesOf = new Map(rows.map((row) => [row.key, row.value.length]));
    this.#bytes = rows.reduce((sum, row) => sum + row.value.length, 0);
  }

  static async load(db: Kysely<Tables>, player: number): Promise<RecordsInWork> {
    const rows = await db
      .selectFrom('records')
      .select(['key', 'revision', 'value', 'seen'])
      .where('player', '=', player)
      .execute();
    return new RecordsInWork(db, player, rows);
  }

  get records(): Records {
    return this.#records;
  }

  /** The keys changed after the player's commit `seen`, by whomever. */
  changedSince(seen: number): string[] {
    return [...this.#seenOf].filter(([, at]) => at > seen).map(([key]) => key);
  }

  /** Applies a transaction whole, or leaves everything as it is. */
  apply(transaction: Transaction, rules: Rules, origin: Origin): Outcome {
    const outcome = applyTransaction(this.#records, transaction, rules, new Date(origin.at).toISOString());
    if (!outcome.applied) return outcome;
    const texts = new Map([...outcome.changed].map(([key, record]) => [key, JSON.stringify(record.value)]));
    const tooLarge = this.#checkSizes(texts);
    if (tooLarge !== undefined) return { applied: false, problem: { ...tooLarge, change: 0 } };
    this.set(outcome.changed, outcome.ledger, origin, texts);
    return { applied: true };
  }

  /** Takes over records as they are, with the ledger lines that led to them. */
  set(
    records: Records,
    ledger: readonly LedgerLine[],
    { session, label, at }: Origin,
    texts: ReadonlyMap<string, string> = new Map(),
  ): void {
    for (const [key, record] of records) {
      const text = texts.get(key) ?? JSON.stringify(record.value);
      this.#bytes += text.length - (this.#bytesOf.get(key) ?? 0);
      this.#bytesOf.set(key, text.length);
      this.#records.set(key, record);
      this.#changed.set(key, { record, text });
      this.#history.push({ key, revision: record.revision, value: text, at, session, label });
    }
    for (const line of ledger) this.#ledger.push({ ...line, player: this.#player, at, session, label });
  }

  /** Writes what changed, if anything did, as the player's next commit. */
  async writeFor(player: PlayerRow, now: number): Promise<void> {
    if (this.#changed.size === 0) return;
    player.seen += 1;
    await this.write(player.seen, now);
    const { number, seen } = player;
    await this.#db.updateTable('players').set({ seen }).where('number', '=', number).execute();
  }

  /** Writes what changed, as the player's commit `seen`. */
  async write(seen: number, now: number): Promise<void> {
    const player = this.#player;
    for (const [key, { record, text }] of this.#changed) {
      this.#seenOf.set(key, seen);
      await this.#db
        .insertInto('records')
        .values({ player, key, revision: record.revision, value: text, seen, changed_at: now })
        .onConflict((conflict) =>
          conflict.columns(['player', 'key']).doUpdateSet((row) => ({
            revision: row.ref('excluded.revision'),
            value: row.ref('excluded.value'),
            seen: row.ref('excluded.seen'),
            changed_at: row.ref('excluded.changed_at'),
          })),
        )
        .execute();
    }
    for (const row of this.#history)
      await this.#db
        .insertInto('history')
        .values({ ...row, player, seen })
        .execute();
    for (const row of this.#ledger) await this.#db.insertInto('ledger').values(row).execute();
  }

  #checkSizes(texts: ReadonlyMap<string, string>): ChangeProblem | undefined {
    let bytes = this.#bytes;
    for (const [key, text] of texts) {
      const tooLarge = checkRecordSize(text);
      if (tooLarge !== undefined) return { ...tooLarge, key };
      bytes += text.length - (this.#bytesOf.get(key) ?? 0);
    }
    return checkPlayerSize(bytes);
  }
}

interface RecordRow {
  readonly key: string;
  readonly revision: number;
  readonly value: string;
  readonly seen: number;
}
