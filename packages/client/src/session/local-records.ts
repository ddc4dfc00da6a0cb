import {
  declaredPart,
  applyTransaction,
  checkPlayerSize,
  checkRecordSize,
  checkTransactionShape,
  currentKey,
  foldTransactions,
  limits,
  readKeys,
  utf8Bytes,
  type Applied,
  type ChangeProblem,
  type Checkpoint,
  type Records,
  type Refused,
  type Rules,
  type StoredRecord,
  type Transaction,
} from '@vekkon/core';
import type { CheckpointList, RecordsByKey } from '@vekkon/protocol';

/** A transaction, and when it was done. */
export interface Done {
  readonly transaction: Transaction;
  /** RFC 3339. */
  readonly at: string;
}

/** What was done, with the copy of the transaction that is sent. */
export interface DoneHere extends Applied {
  readonly transaction: Transaction;
}

/** What a copy of records begins with, beside the records. */
export interface Kept {
  readonly waiting?: readonly Done[];
  /** The checkpoints of which it is known what they hold. */
  readonly checkpoints?: ReadonlyMap<string, Checkpoint>;
  /** It lies on the player's own device: what belongs to the game's servers is not changed there. */
  readonly byPlayer?: boolean;
}

/** How many bytes of changes one save holds at the most: well below what a request may take. */
const bytesPerSave = 700 * 1024;

/**
 * The copy of a player's records that a game works on.
 *
 * What the service has acknowledged lies at the bottom. What the game did
 * since is applied on top, with the same rules as the service's: first what
 * has been given a number, then what still waits and may be folded.
 */
export class LocalRecords {
  #rules: Rules;
  readonly #byPlayer: boolean;
  readonly #acknowledged: Map<string, StoredRecord>;
  readonly #checkpoints: Map<string, Checkpoint>;
  #numbered: readonly Done[] = [];
  #waiting: Done[];
  #view = new Map<string, StoredRecord>();
  /** With those that are not acknowledged yet. */
  #viewOfCheckpoints = new Map<string, Checkpoint>();

  constructor(loaded: RecordsByKey, rules: Rules, kept: Kept = {}) {
    this.#rules = rules;
    this.#byPlayer = kept.byPlayer === true;
    this.#acknowledged = new Map(Object.entries(loaded));
    this.#checkpoints = new Map(kept.checkpoints);
    this.#waiting = [...(kept.waiting ?? [])];
    this.#applyAgain();
  }

  /** What the service has acknowledged. */
  get acknowledged(): RecordsByKey {
    return Object.fromEntries(this.#acknowledged);
  }

  /** The checkpoints of which it is known what they hold. */
  get checkpoints(): ReadonlyMap<string, Checkpoint> {
    return this.#viewOfCheckpoints;
  }

  /** The revision of a record that the service has acknowledged; 0 for none. */
  revisionOf(key: string): number {
    return this.#acknowledged.get(key)?.revision ?? 0;
  }

  /** What the service has, as far as it is known here. */
  get acknowledgedCheckpoints(): ReadonlyMap<string, Checkpoint> {
    return this.#checkpoints;
  }

  /** What has no number yet, with when it was done. */
  get waitingDone(): readonly Done[] {
    return this.#waiting;
  }

  /** The records as the game sees them: of a family, those that there are. */
  get records(): Records {
    const isThere = ([key, { removed }]: readonly [string, StoredRecord]) =>
      removed !== true || this.#declarationOf(key)?.family === undefined;
    const keys = [...this.#view].filter(isThere).map(([key]) => key);
    // What came in was checked by the service, and what was done here by the rules.
    return readKeys(keys, this.#view, { manifest: this.#rules.manifest });
  }

  /** How many transactions the service has not acknowledged yet. */
  get pending(): number {
    return this.#numbered.length + this.#waiting.length;
  }

  /** What has no number yet. */
  get waiting(): readonly Transaction[] {
    return this.#waiting.map(({ transaction }) => transaction);
  }

  /** What the service has not acknowledged yet, in order. */
  get unacknowledged(): readonly Transaction[] {
    return [...this.#numbered, ...this.#waiting].map(({ transaction }) => transaction);
  }

  /** When the oldest of what is not acknowledged was done. */
  get pendingSince(): string | undefined {
    return (this.#numbered[0] ?? this.#waiting[0])?.at;
  }

  /**
   * Does a transaction at once, whole or not at all. One that changes nothing
   * is not kept. What is done here has the shape and the size that the service
   * takes: it can be sent.
   */
  do(given: Transaction, at: string): DoneHere | Refused {
    const malformed = checkTransactionShape(given);
    if (malformed !== undefined) return { applied: false, problem: malformed };
    // A copy, so that what the game changes later in the same object can't slip into a save.
    const transaction = structuredClone(given);
    const outcome = this.#applied(transaction, at);
    if (!outcome.applied) return outcome;
    const tooLarge = this.#checkSizes(outcome.changed);
    if (tooLarge !== undefined) return { applied: false, problem: { ...tooLarge, change: 0 } };
    if (outcome.learned !== undefined) this.#rules = { ...this.#rules, manifest: outcome.learned };
    const mustBeSent = transaction.once !== undefined || outcome.forgetsOnce || outcome.checkpoints.length > 0;
    if (outcome.changed.size === 0 && outcome.ledger.length === 0 && !mustBeSent) return { ...outcome, transaction };
    this.#show(outcome);
    this.#waiting.push({ transaction, at });
    return { ...outcome, transaction };
  }

  /** Folds what waits and takes as much of it as one save holds, to be given a number. */
  takeForSave(): readonly Transaction[] {
    const at = this.#waiting[0]?.at ?? '';
    const folded = this.#folded();
    let count = 0;
    let changes = 0;
    let bytes = 0;
    for (const transaction of folded) {
      changes += transaction.changes.length;
      bytes += utf8Bytes(JSON.stringify(transaction));
      const isTooMuch = count >= limits.transactionsPerSave || changes > limits.changesPerSave || bytes > bytesPerSave;
      if (isTooMuch && count > 0) break;
      count++;
    }
    const doneAgain = (transaction: Transaction): Done => ({ transaction, at });
    this.#numbered = [...this.#numbered, ...folded.slice(0, count).map(doneAgain)];
    this.#waiting = folded.slice(count).map(doneAgain);
    return folded.slice(0, count);
  }

  /**
   * Takes in what the service sent. Revisions older than what is here are
   * left out; what is not acknowledged yet is applied again on top.
   *
   * @param records     the records that the service sent
   * @param answered of the oldest transactions, whether each was applied
   * @returns the keys under which the game now sees something else
   */
  takeIn(records: RecordsByKey, answered: readonly boolean[] = []): ReadonlySet<string> {
    for (const [key, record] of Object.entries(records)) {
      if (record.revision >= (this.#acknowledged.get(key)?.revision ?? 0)) this.#acknowledged.set(key, record);
    }
    for (const [index, isApplied] of answered.entries()) {
      if (isApplied) this.#acknowledgeCheckpoints(this.#numbered[index]?.transaction);
    }
    this.#numbered = this.#numbered.slice(answered.length);
    const before = this.#view;
    this.#applyAgain();
    return changedKeys(before, this.#view);
  }

  /** Takes over what was done elsewhere: what has its number goes after what has one here, what waits before what waits here. */
  takeOver(numbered: readonly Done[], waiting: readonly Done[]): void {
    this.#numbered = [...this.#numbered, ...numbered];
    this.#waiting = [...waiting, ...this.#waiting];
    this.#applyAgain();
  }

  /** Puts other transactions in the place of those that wait. */
  replaceWaiting(waiting: readonly Done[]): void {
    this.#waiting = [...waiting];
    this.#applyAgain();
  }

  /** How many transactions have a number and no answer. */
  get numberedCount(): number {
    return this.#numbered.length;
  }

  /**
   * Some of what has a number will never be applied: it is shown no more.
   *
   * @param first     the place of the first of those that are named
   * @param isStaying of those that are named, whether each stays
   */
  dropNumbered(first: number, isStaying: readonly boolean[]): ReadonlySet<string> {
    this.#numbered = this.#numbered.filter((_, index) => isStaying[index - first] !== false);
    const before = this.#view;
    this.#applyAgain();
    return changedKeys(before, this.#view);
  }

  /** Folds what waits, so that keeping it stays cheap. */
  fold(): void {
    const at = this.#waiting[0]?.at ?? '';
    this.#waiting = this.#folded().map((transaction) => ({ transaction, at }));
  }

  #folded(): readonly Transaction[] {
    const { manifest } = this.#rules;
    return foldTransactions(
      this.#waiting.map(({ transaction }) => transaction),
      (key) => currentKey(key, manifest),
    );
  }

  /** Is it known here what a checkpoint holds? */
  holds(checkpoint: string): boolean {
    return this.#viewOfCheckpoints.has(checkpoint);
  }

  /** Takes in what the service's checkpoints hold: all that there are. */
  learnCheckpoints(list: CheckpointList['checkpoints']): void {
    this.#checkpoints.clear();
    for (const { name, at, summary, records = {} } of list) {
      this.#checkpoints.set(name, { name, at, summary, seen: 0, records: new Map(Object.entries(records)) });
    }
    this.#applyAgain();
  }

  #checkSizes(changed: Records): ChangeProblem | undefined {
    for (const [key, record] of changed) {
      const tooLarge = checkRecordSize(JSON.stringify(record.value));
      if (tooLarge !== undefined) return { ...tooLarge, key };
    }
    let bytes = 0;
    for (const [key, record] of this.#view) if (!changed.has(key)) bytes += bytesOf(record);
    for (const record of changed.values()) bytes += bytesOf(record);
    return checkPlayerSize(bytes);
  }

  #applied(transaction: Transaction, at: string): Applied | Refused {
    return applyTransaction(this.#view, transaction, this.#rules, at, {
      byPlayer: this.#byPlayer,
      // Others may have made some: what is not known here is left to the service.
      checkpoints: { byName: this.#viewOfCheckpoints, areAll: false, seen: 0, outsideSince: () => [] },
    });
  }

  #show({ changed, checkpoints }: Applied): void {
    for (const [key, record] of changed) this.#view.set(key, record);
    for (const { checkpoint, instead } of checkpoints) {
      if (instead !== undefined) this.#viewOfCheckpoints.delete(instead);
      this.#viewOfCheckpoints.set(checkpoint.name, checkpoint);
    }
  }

  /** Everything that is not acknowledged, on top of what is. */
  #applyAgain(): void {
    this.#view = new Map(this.#acknowledged);
    this.#viewOfCheckpoints = new Map(this.#checkpoints);
    for (const { transaction, at } of [...this.#numbered, ...this.#waiting]) {
      const outcome = this.#applied(transaction, at);
      // What can't be applied any more is not shown; the service decides, and says so.
      if (outcome.applied) this.#show(outcome);
    }
  }

  #acknowledgeCheckpoints(transaction: Transaction | undefined): void {
    for (const change of transaction?.changes ?? []) {
      if (change.op !== 'checkpoint') continue;
      if (change.instead !== undefined) this.#checkpoints.delete(change.instead);
      const made = this.#viewOfCheckpoints.get(change.name);
      if (made !== undefined) this.#checkpoints.set(change.name, made);
    }
  }

  /** The record under a key, or the starting value of what is declared and not stored. */
  read(key: string): StoredRecord | undefined {
    const now = currentKey(key, this.#rules.manifest);
    if (!this.#view.has(now) && this.#declarationOf(now)?.family !== undefined) return undefined;
    const read = readKeys([now], this.#view, { manifest: this.#rules.manifest }).get(now);
    return read?.removed === true ? undefined : read;
  }

  #declarationOf(key: string) {
    return this.#rules.manifest.records[declaredPart(key)];
  }
}

/** Records never change: each is measured once. */
const measured = new WeakMap<StoredRecord, number>();

function bytesOf(record: StoredRecord): number {
  const known = measured.get(record);
  if (known !== undefined) return known;
  const bytes = utf8Bytes(JSON.stringify(record.value));
  measured.set(record, bytes);
  return bytes;
}

function changedKeys(before: Records, after: Records): ReadonlySet<string> {
  const changed = new Set<string>();
  for (const key of new Set([...before.keys(), ...after.keys()])) {
    const [old, now] = [before.get(key)?.value, after.get(key)?.value];
    if (old !== now && JSON.stringify(old) !== JSON.stringify(now)) changed.add(key);
  }
  return changed;
}
