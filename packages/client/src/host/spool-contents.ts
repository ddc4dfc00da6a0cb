import type { Transaction } from '@vekkon/core';

/** What a host could not deliver yet, of one session. */
export interface Undelivered {
  readonly session: string;
  /** The player's id; undefined in what an older version wrote. */
  readonly player: string | undefined;
  /** Saves that have their numbers, in order: sent again unchanged. */
  readonly saves: readonly SpooledSave[];
  /** What was done after them and never had a number. */
  readonly done: readonly Transaction[];
  /** The number after the last save. */
  readonly nextSave: number;
  /** The highest number whose answer arrived. */
  readonly answered: number;
}

export interface SpooledSave {
  readonly number: number;
  readonly transactions: readonly Transaction[];
  readonly leave: boolean;
}

/** What the service will never take as it is, and why: kept until a person has looked at it. */
export interface Aside {
  readonly session: string;
  readonly player: string | undefined;
  /** The number of the save that held it. */
  readonly number: number;
  readonly transactions: readonly Transaction[];
  readonly reason: string;
  /** RFC 3339. */
  readonly at: string;
}

/** One line of the spool. */
export type SpoolEntry =
  | { readonly is: 'joined'; readonly session: string; readonly player?: string | undefined; readonly nextSave: number }
  | { readonly is: 'done'; readonly session: string; readonly transaction: Transaction }
  /** A save got its number. It holds all that was `done` in its session before, but for `rest`. */
  | ({
      readonly is: 'save';
      readonly session: string;
      readonly player?: string | undefined;
      readonly rest: readonly Transaction[];
    } & SpooledSave)
  | { readonly is: 'answered'; readonly session: string; readonly number: number }
  /** A part of a save was put aside; `rest` is what the save holds since then. */
  | ({ readonly is: 'aside'; readonly rest: readonly Transaction[] } & Aside)
  /** Nothing of the session is to be delivered any more. What was put aside stays. */
  | { readonly is: 'over'; readonly session: string };

interface OfSession {
  player: string | undefined;
  saves: SpooledSave[];
  done: Transaction[];
  nextSave: number;
  answered: number;
}

/** What the lines of a spool come to, one after the other. */
export class SpoolContents {
  readonly #sessions = new Map<string, OfSession>();
  readonly #aside: Aside[] = [];

  /** What is still to be delivered, session by session. */
  get undelivered(): readonly Undelivered[] {
    return [...this.#sessions]
      .map(([session, of]) => ({ session, ...of }))
      .filter(({ saves, done }) => saves.length > 0 || done.length > 0);
  }

  /** What will never be delivered as it is. */
  get aside(): readonly Aside[] {
    return this.#aside;
  }

  /** Entries that come to the same: all that must be kept. */
  get entries(): readonly SpoolEntry[] {
    return [
      ...this.#aside.map((one) => ({ is: 'aside' as const, rest: [], ...one })),
      ...this.undelivered.flatMap(({ session, player, saves, done, nextSave, answered }): SpoolEntry[] => [
        { is: 'joined', session, player, nextSave },
        ...(answered > 0 ? [{ is: 'answered' as const, session, number: answered }] : []),
        ...saves.map((save) => ({ is: 'save' as const, session, player, rest: [], ...save })),
        ...done.map((transaction) => ({ is: 'done' as const, session, transaction })),
      ]),
    ];
  }

  take(entry: SpoolEntry): void {
    if (entry.is === 'over') return void this.#sessions.delete(entry.session);
    if (entry.is === 'aside') this.#putAside(entry);
    const of = this.#of(entry.session);
    if (entry.is !== 'done' && 'player' in entry) of.player = entry.player ?? of.player;
    switch (entry.is) {
      case 'joined':
        of.nextSave = Math.max(of.nextSave, entry.nextSave);
        break;
      case 'done':
        of.done.push(entry.transaction);
        break;
      case 'save': {
        const { number, transactions, leave } = entry;
        if (number > of.answered && of.saves.every((save) => save.number !== number)) {
          of.saves.push({ number, transactions, leave });
          of.done = [...entry.rest];
        }
        of.nextSave = Math.max(of.nextSave, number + 1);
        break;
      }
      case 'answered':
        of.saves = of.saves.filter(({ number }) => number > entry.number);
        of.answered = Math.max(of.answered, entry.number);
        of.nextSave = Math.max(of.nextSave, entry.number + 1);
        break;
      case 'aside':
        of.saves = of.saves.map((save) =>
          save.number === entry.number ? { ...save, transactions: entry.rest } : save,
        );
    }
    return undefined;
  }

  #of(session: string): OfSession {
    const known = this.#sessions.get(session);
    if (known !== undefined) return known;
    const of = { player: undefined, saves: [], done: [], nextSave: 1, answered: 0 };
    this.#sessions.set(session, of);
    return of;
  }

  #putAside({ session, player, number, transactions, reason, at }: Aside): void {
    this.#aside.push({ session, player, number, transactions, reason, at });
  }
}
