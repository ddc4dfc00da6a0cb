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
import { keptQuery, keptWrite } from '../kept-query.js';
import type { NewTrashRow, PlayerRow } from '../tables.js';
import type { WriterContext } from './context.js';
import { heldBytes, type HeldRecords, type HowItLies } from './held-records.js';
import { HistoryInWork, rowBytes } from './history-in-work.js';

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
  #bytes: number;
  readonly #history = new HistoryInWork();
  readonly #ledger: (Origin & { readonly line: LedgerLine })[] = [];
  readonly #trash: NewTrashRow[] = [];
  readonly #changed = new Map<string, Written>();

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
    const held = RecordsInWork.ofHeld(place, player, manifest);
    if (held !== undefined) return held;
    const read = heldFrom(await recordsOf(place.db, number), manifest);
    if (seen !== undefined) place.held.keep(number, { ...read, seen });
    return new RecordsInWork(place, player, read);
  }

  /** The same, where they are held: nothing need be read. */
  static ofHeld(place: Place, player: WhoseRecords, manifest: Manifest): RecordsInWork | undefined {
    const held = place.held.of(player.number);
    return held?.manifest === manifest ? new RecordsInWork(place, player, held) : undefined;
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
    const written = [...outcome.changed].map(asWritten);
    const tooLarge = this.#checkSizes(written);
    if (tooLarge !== undefined) return { applied: false, problem: { ...tooLarge, change: 0 } };
    this.#set(written, outcome.ledger, origin, outcome.trash);
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
    { trash = [] }: { readonly trash?: readonly Trashed[] } = {},
  ): void {
    this.#set([...records].map(asWritten), ledger, origin, trash);
  }

  #set(written: readonly Written[], ledger: readonly LedgerLine[], origin: Origin, trash: readonly Trashed[]): void {
    const { session, by, label, at } = origin;
    const trashed = trash.length === 0 ? none : new Set(trash.map(({ key }) => key));
    if (written.length > 0) this.#records ??= new Map(this.#held.records);
    for (const one of written) {
      const { key, record, text, bytes } = one;
      this.#bytes += bytes - this.#bytesOfRecord(key);
      const follows = this.records.get(key)?.revision ?? 0;
      this.#records?.set(key, record);
      this.#changed.set(key, one);
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
      setSeen(this.#place, player.seen, player.number);
    }
    if (this.checkpoints.hasSomethingToWrite) await this.checkpoints.write(player.seen);
  }

  /** Writes what changed, as the player's commit `seen`. */
  async write(seen: number, now: number): Promise<void> {
    const place = this.#place;
    const player = this.#player;
    place.changedMeanwhile.note(player);
    const { manifest } = this.#held;
    const formerRows = this.#dropFormerRows();
    const lies = new Map<string, HowItLies>(this.#held.lies);
    for (const { key, record, text, bytes } of this.#changed.values()) {
      lies.set(key, { seen, bytes });
      upsertRecord(place, player, key, record.revision, text, flagOf(record), seen, now);
    }
    this.#history.write(place, player, seen);
    for (const { line, at, session, by, label } of this.#ledger) {
      const { key, op, amount, balance, reason, count } = line;
      insertLedger(place, player, key, at, op, amount, balance, reason, count, session, by, label);
    }
    this.credits.write(place);
    place.held.keep(player, {
      manifest,
      seen,
      records: this.records,
      lies,
      formerRows,
      valueBytes: this.#bytes,
      bytes: heldBytes(this.#bytes, lies.size),
    });
    const finding = place.foundBy.changed(this.#environment, player, manifest, this.#changed);
    if (finding !== undefined) await finding;
    for (const row of this.#trash) await place.db.insertInto('trash').values(row).execute();
  }

  /** What was written anew lies under its key of now alone. @returns the rows that still lie under former keys */
  #dropFormerRows(): ReadonlyMap<string, string> {
    const { formerRows } = this.#held;
    if (formerRows.size === 0) return formerRows;
    const stay = new Map(formerRows);
    for (const key of this.#changed.keys()) {
      const former = stay.get(key);
      if (former === undefined) continue;
      stay.delete(key);
      dropRecord(this.#place, this.#player, former);
    }
    return stay;
  }

  #bytesOfRecord(key: string): number {
    return this.#changed.get(key)?.bytes ?? this.#held.lies.get(key)?.bytes ?? 0;
  }

  #checkSizes(written: readonly Written[]): ChangeProblem | undefined {
    let sum = this.#bytes;
    for (const { key, text, bytes } of written) {
      const tooLarge = checkRecordSize(text);
      if (tooLarge !== undefined) return { ...tooLarge, key };
      sum += bytes - this.#bytesOfRecord(key);
    }
    return checkPlayerSize(sum);
  }
}

/** Whose records they are, by their number. */
type WhoseRecords = Pick<PlayerRow, 'number' | 'environment'>;

/** Where records are read and written. */
type Place = Pick<WriterContext, 'db' | 'later' | 'held' | 'changedMeanwhile' | 'foundBy'>;

const none: ReadonlySet<string> = new Set();

/** A record as it is to be written. */
interface Written {
  readonly key: string;
  readonly record: StoredRecord;
  /** Its value as JSON. */
  readonly text: string;
  /** Of the text, in UTF-8. */
  readonly bytes: number;
}

function asWritten([key, record]: readonly [string, StoredRecord]): Written {
  const text = JSON.stringify(record.value);
  return { key, record, text, bytes: utf8Bytes(text) };
}

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

const upsertRecord = keptWrite(
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

const insertLedger = keptWrite(
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

const dropRecord = keptWrite((db, player: number, key: string) =>
  db.deleteFrom('records').where('player', '=', player).where('key', '=', key),
);

const setSeen = keptWrite((db, seen: number, player: number) =>
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
