import type { Change, Json, Kind, Records, Rules, Transaction } from '@vekkon/core';
import type { JoinResponse, LeaveResponse, SaveResponse, TransactionOutcome } from '@vekkon/protocol';
import { ChangeRefused, ServiceRefused, SessionOver } from '../errors.js';
import { LocalRecords } from '../session/local-records.js';
import type { Transport } from '../transport/transport.js';

/** A save that has its number: it is sent unchanged until it is answered. */
interface NumberedSave {
  readonly number: number;
  readonly transactions: readonly Transaction[];
}

/** A transaction that the service refused, though the game's copy had let it pass. */
export interface RefusedTransaction {
  readonly transaction: Transaction;
  readonly problem: Extract<TransactionOutcome, { applied: false }>['problem'];
}

/** What came of a save. Answered means: on disk. */
export interface SaveResult {
  /** How many transactions the save held. */
  readonly sent: number;
  readonly refused: readonly RefusedTransaction[];
}

/**
 * One player's stay on this host.
 *
 * Changes apply to the copy here at once and are sent with the next save. A
 * change that the rules refuse throws ChangeRefused and changes nothing.
 *
 * @example
 * const session = await host.join('p-10442');
 * session.credit('feather', 30, 'climb 8812');
 * await session.save();
 * await session.leave();
 */
export class HostSession {
  readonly id: string;
  readonly player: JoinResponse['player'];
  readonly #transport: Transport;
  readonly #records: LocalRecords;
  #seen: number;
  #nextSave: number;
  #waiting: Transaction[] = [];
  #unanswered: NumberedSave | undefined;
  #saving: Promise<SaveResult> | undefined;
  #over: SessionOver | undefined;

  constructor(transport: Transport, joined: JoinResponse, rules: Rules) {
    this.#transport = transport;
    this.id = joined.session.id;
    this.player = joined.player;
    this.#seen = joined.seen;
    this.#nextSave = joined.session.nextSave;
    this.#records = new LocalRecords(joined.records, rules);
  }

  /** The player's records by key, with everything that was done here. */
  get records(): Records {
    return this.#records.records;
  }

  /** How many transactions are not on disk yet. */
  get pending(): number {
    return this.#records.pending;
  }

  get isOver(): boolean {
    return this.#over !== undefined;
  }

  /** What a record holds: `value('flight')`, `value('preference/invert-pitch')`. A name alone is of progress. */
  value(key: string): Json | undefined {
    return this.#records.read(keyOf('progress', key))?.value;
  }

  /** The balance of a currency. */
  balance(currency: string): number {
    return Number(this.#records.read(keyOf('currency', currency))?.value ?? 0);
  }

  /** Adds to a currency; `reason` stands in the ledger. */
  credit(currency: string, amount: number, reason: string): void {
    this.#do({ op: 'credit', key: keyOf('currency', currency), amount, reason });
  }

  /** Takes from a currency; refused if it would fall below its floor. */
  debit(currency: string, amount: number, reason: string): void {
    this.#do({ op: 'debit', key: keyOf('currency', currency), amount, reason });
  }

  /** Replaces a value. With `ifRevision` only if that revision is stored. */
  put(key: string, value: Json, { ifRevision }: { readonly ifRevision?: number } = {}): void {
    this.#do({ op: 'put', key: keyOf('progress', key), value, ...(ifRevision !== undefined && { ifRevision }) });
  }

  /** Applies a JSON Merge Patch (RFC 7396). */
  merge(key: string, value: Json): void {
    this.#do({ op: 'merge', key: keyOf('progress', key), value });
  }

  /** Adds to the number at a JSON Pointer (RFC 6901); the whole value is the number if there is none. */
  increase(key: string, by: number, path = ''): void {
    this.#do({ op: 'increase', key: keyOf('progress', key), path, by });
  }

  /** Keeps the better of the two numbers; one that was never set loses to any. */
  outdo(
    key: string,
    value: number,
    { path = '', better }: { readonly path?: string; readonly better: 'higher' | 'lower' },
  ): void {
    this.#do({ op: 'outdo', key: keyOf('progress', key), path, value, better });
  }

  /** Appends to the list at a JSON Pointer, unless it is there already. */
  collect(key: string, value: Json, path = ''): void {
    this.#do({ op: 'collect', key: keyOf('progress', key), path, value });
  }

  /** Takes a value out of the list at a JSON Pointer. */
  discard(key: string, value: Json, path = ''): void {
    this.#do({ op: 'discard', key: keyOf('progress', key), path, value });
  }

  /** A result for a board. */
  submit(board: string, value: number, details: { readonly name?: string; readonly note?: string } = {}): void {
    this.#do({ op: 'submit', key: keyOf('score', board), value, ...details });
  }

  /**
   * Sends what was done since the last save. A save that failed on the way
   * keeps its number and is sent again first, so that nothing counts twice.
   *
   * @throws ServiceUnreachable, ServiceRefused or SessionOver; what was done stays here
   */
  save(): Promise<SaveResult> {
    this.#saving ??= this.#saveAll().finally(() => (this.#saving = undefined));
    return this.#saving;
  }

  /** Sends what is left and ends the stay, in one commit. */
  async leave(): Promise<SaveResult> {
    await this.#saving?.catch(() => undefined);
    const before = this.#unanswered === undefined ? nothing : await this.save();
    const last = this.#number();
    const answer = await this.#send<LeaveResponse>('leave', last);
    const result = this.#takeIn(answer, last);
    this.#over = new SessionOver(this.id, 'the player left.');
    return { sent: before.sent + result.sent, refused: [...before.refused, ...result.refused] };
  }

  #do(change: Change): void {
    if (this.#over !== undefined) throw this.#over;
    // A copy, so that what the game changes later in the same object can't slip into a save.
    const transaction: Transaction = { changes: [structuredClone(change)] };
    const outcome = this.#records.do(transaction, new Date().toISOString());
    if (!outcome.applied) throw new ChangeRefused(outcome.problem);
    this.#waiting.push(transaction);
  }

  async #saveAll(): Promise<SaveResult> {
    let result = nothing;
    while (this.#unanswered !== undefined || this.#waiting.length > 0) {
      const save = this.#number();
      if (save === undefined) break;
      const { sent, refused } = this.#takeIn(await this.#send<SaveResponse>('saves', save), save);
      result = { sent: result.sent + sent, refused: [...result.refused, ...refused] };
    }
    return result;
  }

  /** The save that waits for an answer, or what waits to be sent under the next number. */
  #number(): NumberedSave | undefined {
    if (this.#unanswered === undefined && this.#waiting.length > 0) {
      this.#unanswered = { number: this.#nextSave, transactions: this.#waiting.splice(0, transactionsPerSave) };
    }
    return this.#unanswered;
  }

  async #send<Answer>(what: 'saves' | 'leave', save: NumberedSave | undefined): Promise<Answer> {
    if (this.#over !== undefined) throw this.#over;
    try {
      return await this.#transport.send<Answer>({
        method: 'POST',
        path: `/v1/sessions/${this.id}/${what}`,
        body: { ...save, seen: this.#seen },
      });
    } catch (error) {
      if (error instanceof ServiceRefused && endings.has(error.code)) {
        this.#over = new SessionOver(this.id, error.problem.detail);
        throw this.#over;
      }
      throw error;
    }
  }

  #takeIn(answer: SaveResponse | LeaveResponse, save: NumberedSave | undefined): SaveResult {
    const transactions = save?.transactions ?? [];
    this.#seen = answer.seen;
    if (save !== undefined) {
      this.#nextSave = save.number + 1;
      this.#unanswered = undefined;
    }
    this.#records.acknowledge(answer.records, transactions.length);
    const refused = transactions.flatMap((transaction, index) => {
      const outcome = answer.transactions[index];
      return outcome === undefined || outcome.applied ? [] : [{ transaction, problem: outcome.problem }];
    });
    return { sent: transactions.length, refused };
  }
}

const transactionsPerSave = 200;
const nothing: SaveResult = { sent: 0, refused: [] };
/** Refusals after which nothing may be written for the session any more. */
const endings: ReadonlySet<string> = new Set(['session-ended', 'session-unknown', 'host-replaced']);

/** A name alone is of the kind that the change is for. */
function keyOf(kind: Kind, nameOrKey: string): string {
  return nameOrKey.includes('/') ? nameOrKey : `${kind}/${nameOrKey}`;
}
