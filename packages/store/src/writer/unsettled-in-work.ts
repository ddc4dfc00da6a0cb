import { addAlike, likenessOf, serviceLimits, utf8Bytes, type Transaction } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import { digestOf } from '../digest.js';
import { keptQuery } from '../kept-query.js';
import type { SavingSession, UnsettledRow } from '../tables.js';
import type { WriterContext } from './context.js';
import { countUnsettled } from './unsettled-sums.js';

export interface Unapplied {
  /** Where it stood in its save. */
  readonly position: number;
  readonly transaction: Transaction;
  /** The code of the problem. */
  readonly reason: string;
  readonly detail: string;
}

interface InWork {
  /** As it is stored; undefined for a new one. */
  readonly before: UnsettledRow | undefined;
  row: UnsettledRow;
}

/**
 * What one command keeps of a player until a person deals with it: looked up
 * by likeness, added to what waits already, and written together.
 */
export class UnsettledInWork {
  readonly #context: Pick<WriterContext, 'db'>;
  readonly #session: SavingSession;
  readonly #number: number;
  /** Of the save's contents: what comes too late may come under one number with other contents. */
  readonly #digest: string;
  readonly #now: number;
  readonly #byId = new Map<string, InWork>();
  readonly #byLikeness = new Map<string, InWork>();
  /** What the player holds, and whether that was nothing before this; read when it is first needed. */
  #held: { unlike: number; bytes: number; hadNone: boolean } | undefined;

  constructor(
    context: Pick<WriterContext, 'db'>,
    session: SavingSession,
    { number, digest, now }: { readonly number: number; readonly digest: string; readonly now: number },
  ) {
    this.#context = context;
    this.#session = session;
    this.#number = number;
    this.#digest = digest;
    this.#now = now;
  }

  /**
   * Keeps a transaction.
   *
   * @returns the id under which it is kept, with alike ones
   * @throws Refusal `unsettled-full` if the player has no room for another: the sender keeps what it has
   */
  async keep({ position, transaction: sent, reason, detail }: Unapplied): Promise<string> {
    // That it is to be kept is no part of what it does.
    const { keep: _, ...transaction } = sent;
    const likeness = hashOf(likenessOf(reason, transaction));
    const alike = likeness === null ? undefined : await this.#alike(likeness);
    const both = alike && addAlike(JSON.parse(alike.row.content) as Transaction, transaction);
    if (alike !== undefined && both !== undefined) {
      const content = JSON.stringify(both);
      alike.row = { ...alike.row, ...this.#last(content, detail), count: alike.row.count + 1 };
      return alike.row.id;
    }
    const id = `uns_${hashOf(`${this.#session.id} ${this.#number} ${this.#digest} ${position}`)?.slice(0, 22)}`;
    const row = {
      id,
      environment: this.#session.environment,
      player: this.#session.player,
      // A sum that left the exact numbers stays as it is, and this one beside it.
      likeness: alike === undefined ? likeness : null,
      reason,
      first_at: this.#now,
      count: 1,
      ...this.#last(JSON.stringify(transaction), detail),
    };
    await this.#takeRoom(row.bytes);
    const added = { before: undefined, row };
    this.#byId.set(id, added);
    if (row.likeness !== null) this.#byLikeness.set(row.likeness, added);
    return id;
  }

  /** Writes what was kept, and counts it. */
  async write(): Promise<void> {
    if (this.#byId.size === 0) return;
    const { db } = this.#context;
    for (const { before, row } of this.#byId.values()) {
      if (before === undefined) await db.insertInto('unsettled').values(row).execute();
      else {
        const { session, host, save_number, content, detail, last_at, count, bytes } = row;
        await db
          .updateTable('unsettled')
          .set({ session, host, save_number, content, detail, last_at, count, bytes })
          .where('id', '=', row.id)
          .execute();
      }
    }
    await countUnsettled(this.#context, [...this.#byId.values()]);
  }

  #last(content: string, detail: string) {
    const { id: session, host } = this.#session;
    const bytes = utf8Bytes(content) + utf8Bytes(detail);
    return { session, host, save_number: this.#number, content, detail, last_at: this.#now, bytes };
  }

  async #alike(likeness: string): Promise<InWork | undefined> {
    const known = this.#byLikeness.get(likeness);
    if (known !== undefined) return known;
    const [before] = await alikeOf(this.#context.db, this.#session.player, likeness);
    if (before === undefined) return undefined;
    const found = { before, row: before };
    this.#byLikeness.set(likeness, found);
    this.#byId.set(before.id, found);
    return found;
  }

  async #takeRoom(bytes: number): Promise<void> {
    this.#held ??= await this.#heldBefore();
    const { unlike, bytes: held, hadNone } = this.#held;
    // The first save of one who holds nothing has room whatever its size: else it could never be delivered.
    const isTooMuch = !hadNone && held + bytes > serviceLimits.unsettledBytesPerPlayer;
    if (unlike >= serviceLimits.unsettledPerPlayer || isTooMuch) {
      throw new Refusal('unsettled-full', undefined, { retryAfter: 60 });
    }
    this.#held = { unlike: unlike + 1, bytes: held + bytes, hadNone };
  }

  async #heldBefore() {
    const [held] = await heldBy(this.#context.db, this.#session.player);
    return { unlike: held?.unlike ?? 0, bytes: held?.bytes ?? 0, hadNone: (held?.unlike ?? 0) === 0 };
  }
}

function hashOf(text: string | undefined): string | null {
  return text === undefined ? null : digestOf(text);
}

const alikeOf = keptQuery((db, player: number, likeness: string) =>
  db.selectFrom('unsettled').selectAll().where('player', '=', player).where('likeness', '=', likeness),
);

const heldBy = keptQuery((db, player: number) =>
  db.selectFrom('unsettled_of_players').select(['unlike', 'bytes']).where('player', '=', player),
);
