import {
  applyTransaction,
  checkPlayerSize,
  checkRecordSize,
  currentKey,
  olderVersion,
  underCurrentKeys,
  utf8Bytes,
  type ChangeProblem,
  type Json,
  type LedgerLine,
  type Manifest,
  type Records,
  type Rules,
  type StoredRecord,
  type Submit,
  type Transaction,
  type Trashed,
} from '@vekkon/core';
import { rfc3339 } from '../clock.js';
import { CheckpointsInWork } from './checkpoints-in-work.js';
import { CreditsInWork } from './credits-in-work.js';
import { given, keptQuery, type Compiled } from '../kept-query.js';
import type { NewTrashRow, PlayerRow } from '../tables.js';
import type { WriterContext } from './context.js';
import { heldBytes, type HeldRecords, type HowItLies } from './held-records.js';
import { HistoryInWork, insertRevision, rowBytes } from './history-in-work.js';

/** Where a change came from, as history and ledger keep it. */
export interface Origin {
  readonly session: string | null;
  /** The host, the operator's e-mail, or the key. */
  readonly by: string | null;
  readonly label: string | null;
  /** Milliseconds since 1970, UTC. */
  readonly at: number;
}

/** Who sends a transaction. */
export interface Sender {
  /** The older manifest version that they speak. */
  readonly spoken?: Manifest | undefined;
  /** It is the player's own device: only what the manifest lets players write is theirs to change. */
  readonly byPlayer: boolean;
  /** The player's last commit. */
  readonly seen: number;
}

type Outcome =
  | {
      readonly applied: true;
      readonly touched: ReadonlySet<string>;
      readonly forgetsOnce: boolean;
      readonly results: readonly Submit[];
      /** The manifest with what was learned; undefined if nothing was. */
      readonly learned: Manifest | undefined;
    }
  | { readonly applied: false; readonly problem: ChangeProblem & { readonly change: number } };

/**
 * One player's records while a command changes them: read whole, decided by
 * the rules, written together. They stand under the keys that the manifest
 * declares now; rows that lie under former keys are replaced when they are
 * next written.
 */
export class RecordsInWork {
  readonly checkpoints: CheckpointsInWork;
  readonly credits: CreditsInWork;
  readonly #place: Place;
  readonly #environment: number;
  readonly #player: number;
  readonly #held: Omit<HeldRecords, 'seen'>;
  /** As they are held, until something is set: a copy from then on. */
  #records: Map<string, StoredRecord> | undefined;
  readonly #bytesOf = new Map<string, number>();
  #bytes: number;
  readonly #history = new HistoryInWork();
  readonly #ledger: (Origin & { readonly line: LedgerLine })[] = [];
  readonly #trash: NewTrashRow[] = [];
  readonly #changed = new Map<string, { readonly record: StoredRecord; readonly text: string }>();

  private constructor(place: Place, { number: player, environment }: WhoseRecords, held: Omit<HeldRecords, 'seen'>) {
    this.#place = place;
    this.#environment = environment;
    this.#player = player;
    this.checkpoints = new CheckpointsInWork(place, player);
    this.credits = new CreditsInWork(place.db, player);
    this.#held = held;
    this.#bytes = held.valueBytes;
  }

  /** @param seen the player's last commit, of who writes soon: then the records are held, and not read again */
  static async load(place: Place, player: WhoseRecords, manifest: Manifest, seen?: number): Promise<RecordsInWork> {
    const { number } = player;
    const held = place.held.of(number);
    if (held?.manifest === manifest) return new RecordsInWork(place, player, held);
    const read = heldFrom(await recordsOf(place.db, number), manifest);
    if (seen !== undefined) place.held.keep(number, { ...read, seen });
    return new RecordsInWork(place, player, read);
  }

  get records(): Records {
    return this.#records ?? this.#held.records;
  }

  /** The keys that this command changed. */
  get writtenKeys(): Iterable<string> {
    return this.#changed.keys();
  }

  /** About how many bytes this command's revisions and ledger lines take. */
  get writtenBytes(): number {
    return this.#ledger.reduce((sum, { line }) => sum + utf8Bytes(line.reason) + rowBytes, this.#history.bytes);
  }

  /** The keys changed after the player's commit `seen`, by whomever. */
  changedSince(seen: number): string[] {
    const keys: string[] = [];
    for (const [key, lies] of this.#held.lies) if (lies.seen > seen && !this.#changed.has(key)) keys.push(key);
    return [...keys, ...this.#changed.keys()];
  }

  /** Applies a transaction whole, or leaves everything as it is. */
  apply(transaction: Transaction, rules: Rules, origin: Origin, { spoken, byPlayer, seen }: Sender): Outcome {
    const outcome = applyTransaction(this.records, transaction, rules, rfc3339(origin.at), {
      spoken: spoken && olderVersion(spoken),
      byPlayer,
      checkpoints: this.checkpoints.atHand(seen),
      creditedSince: (key, since) => this.credits.since(key, since),
    });
    if (!outcome.applied) return outcome;
    const texts = new Map<string, string>();
    for (const [key, record] of outcome.changed) texts.set(key, JSON.stringify(record.value));
    const tooLarge = this.#checkSizes(texts);
    if (tooLarge !== undefined) return { applied: false, problem: { ...tooLarge, change: 0 } };
    this.set(outcome.changed, outcome.ledger, origin, { trash: outcome.trash, texts });
    this.checkpoints.add(outcome.checkpoints, origin.by, origin.at);
    if (origin.session === null && !byPlayer) {
      for (const change of transaction.changes) this.checkpoints.noteOutside({ change }, origin.at);
    }
    const { touched, forgetsOnce, learned, results } = outcome;
    return { applied: true, touched, forgetsOnce, learned, results };
  }

  /** Takes over records as they are, with the ledger lines that led to them and what they replaced. */
  set(
    records: Records,
    ledger: readonly LedgerLine[],
    origin: Origin,
    {
      trash = [],
      texts = new Map(),
    }: {
      readonly trash?: readonly Trashed[];
      readonly texts?: ReadonlyMap<string, string>;
    } = {},
  ): void {
    const { session, by, label, at } = origin;
    const trashed = new Set(trash.map(({ key }) => key));
    if (records.size > 0) this.#records ??= new Map(this.#held.records);
    for (const [key, record] of records) {
      const text = texts.get(key) ?? JSON.stringify(record.value);
      const bytes = utf8Bytes(text);
      this.#bytes += bytes - this.#bytesOfRecord(key);
      this.#bytesOf.set(key, bytes);
      const follows = this.records.get(key)?.revision ?? 0;
      this.#records?.set(key, record);
      this.#changed.set(key, { record, text });
      const { revision } = record;
      const row = { key, revision, follows, value: text, removed: flagOf(record), at, session, by, label };
      this.#history.add(row, trashed.has(key));
    }
    for (const line of ledger) {
      this.#ledger.push({ line, at, session, by, label });
      if (line.op === 'credit') this.credits.add(line.key, at, line.amount);
    }
    for (const { key, record, by: why } of trash) {
      const value = JSON.stringify(record.value);
      this.#trash.push({ player: this.#player, key, revision: record.revision, value, at, why, by, session, label });
    }
  }

  /** Writes what changed, if anything did, as the player's next commit. */
  async writeFor(player: Pick<PlayerRow, 'number' | 'seen'>, now: number): Promise<void> {
    if (this.#changed.size > 0) {
      player.seen += 1;
      await this.write(player.seen, now);
      await setSeen(this.#place.db, player.seen, player.number);
    }
    if (this.checkpoints.hasSomethingToWrite) await this.checkpoints.write(player.seen);
  }

  /** Writes what changed, as the player's commit `seen`. */
  async write(seen: number, now: number): Promise<void> {
    const player = this.#player;
    this.#place.changedMeanwhile.note(player);
    const { manifest } = this.#held;
    const lies = new Map<string, HowItLies>(this.#held.lies);
    const rows: unknown[][] = [];
    for (const [key, { record, text }] of this.#changed) {
      lies.set(key, { seen, bytes: this.#bytesOfRecord(key) });
      rows.push([player, key, record.revision, text, flagOf(record), seen, now]);
    }
    const formerRows = await this.#dropFormerRows();
    await this.#runAll(upsertRecord.compiled(this.#place.db), rows);
    await this.#place.foundBy.changed(this.#environment, player, manifest, this.#changed);
    await this.#runAll(insertRevision.compiled(this.#place.db), this.#history.rowsOf(player, seen));
    const ledger = this.#ledger.map(({ line, at, session, by, label }) => {
      const { key, op, amount, balance, reason, count } = line;
      return [player, key, at, op, amount, balance, reason, count, session, by, label];
    });
    await this.#runAll(insertLedger.compiled(this.#place.db), ledger);
    await this.credits.write();
    for (const row of this.#trash) await this.#place.db.insertInto('trash').values(row).execute();
    this.#place.held.keep(player, {
      manifest,
      seen,
      records: this.records,
      lies,
      formerRows,
      valueBytes: this.#bytes,
      bytes: heldBytes(this.#bytes, lies.size),
    });
  }

  async #runAll(statement: Compiled, rows: readonly (readonly unknown[])[]): Promise<void> {
    if (rows.length === 0) return;
    const all = statement.areAsGiven ? rows : rows.map((row) => given(statement, row));
    await this.#place.runMany(statement.query.sql, all);
  }

  /** What was written anew lies under its key of now alone. @returns the rows that still lie under former keys */
  async #dropFormerRows(): Promise<ReadonlyMap<string, string>> {
    const { formerRows } = this.#held;
    if (formerRows.size === 0) return formerRows;
    const stay = new Map(formerRows);
    for (const key of this.#changed.keys()) {
      const former = stay.get(key);
      if (former === undefined) continue;
      stay.delete(key);
      await this.#place.db.deleteFrom('records').where('player', '=', this.#player).where('key', '=', former).execute();
    }
    return stay;
  }

  #bytesOfRecord(key: string): number {
    return this.#bytesOf.get(key) ?? this.#held.lies.get(key)?.bytes ?? 0;
  }

  #checkSizes(texts: ReadonlyMap<string, string>): ChangeProblem | undefined {
    let bytes = this.#bytes;
    for (const [key, text] of texts) {
      const tooLarge = checkRecordSize(text);
      if (tooLarge !== undefined) return { ...tooLarge, key };
      bytes += utf8Bytes(text) - this.#bytesOfRecord(key);
    }
    return checkPlayerSize(bytes);
  }
}

/** Whose records they are, by their number. */
type WhoseRecords = Pick<PlayerRow, 'number' | 'environment'>;

/** Where records are read and written. */
type Place = Pick<WriterContext, 'db' | 'runMany' | 'held' | 'changedMeanwhile' | 'foundBy'>;

function heldFrom(rows: readonly RecordRow[], manifest: Manifest): Omit<HeldRecords, 'seen'> {
  const keyOf = new Map(rows.map((row) => [row.key, currentKey(row.key, manifest)]));
  const now = (row: RecordRow) => keyOf.get(row.key) ?? row.key;
  const lies = new Map(rows.map((row) => [now(row), { seen: row.seen, bytes: utf8Bytes(row.value) }]));
  const valueBytes = [...lies.values()].reduce((sum, { bytes }) => sum + bytes, 0);
  return {
    manifest,
    records: underCurrentKeys(new Map(rows.map((row) => [row.key, recordOf(row)])), manifest),
    lies,
    formerRows: new Map([...keyOf].flatMap(([key, current]) => (current === key ? [] : [[current, key]]))),
    valueBytes,
    bytes: heldBytes(valueBytes, lies.size),
  };
}

const recordsOf = keptQuery((db, player: number) =>
  db.selectFrom('records').select(['key', 'revision', 'value', 'removed', 'seen']).where('player', '=', player),
);

const upsertRecord = keptQuery(
  (
    db,
    player: number,
    key: string,
    revision: number,
    value: string,
    removed: number,
    seen: number,
    changed_at: number,
  ) =>
    db
      .insertInto('records')
      .values({ player, key, revision, value, removed, seen, changed_at })
      .onConflict((conflict) =>
        conflict.columns(['player', 'key']).doUpdateSet((row) => ({
          revision: row.ref('excluded.revision'),
          value: row.ref('excluded.value'),
          removed: row.ref('excluded.removed'),
          seen: row.ref('excluded.seen'),
          changed_at: row.ref('excluded.changed_at'),
        })),
      ),
);

const insertLedger = keptQuery(
  (
    db,
    player: number,
    key: string,
    at: number,
    op: LedgerLine['op'],
    amount: number,
    balance: number,
    reason: string,
    count: number,
    session: string | null,
    by: string | null,
    label: string | null,
  ) => db.insertInto('ledger').values({ player, key, at, op, amount, balance, reason, count, session, by, label }),
);

const setSeen = keptQuery((db, seen: number, player: number) =>
  db.updateTable('players').set({ seen }).where('number', '=', player),
);

interface RecordRow {
  readonly key: string;
  readonly revision: number;
  readonly value: string;
  readonly removed: number;
  readonly seen: number;
}

/** A row as a record. */
export function recordOf(row: Omit<RecordRow, 'key' | 'seen'>): StoredRecord {
  const record = { revision: row.revision, value: JSON.parse(row.value) as Json };
  return row.removed === 1 ? { ...record, removed: true } : record;
}

function flagOf(record: StoredRecord): number {
  return record.removed === true ? 1 : 0;
}
