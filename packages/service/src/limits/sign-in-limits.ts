import { nextTryAt, type WrongTries } from '@vekkon/core/accounts';
import { Refusal, type LimitName } from '@vekkon/protocol';
import type { Clock } from '@vekkon/store';
import type { Request } from 'express';
import { addressOf } from './counted.js';
import type { Limits } from './limits.js';

const hour = 60 * 60_000;

/** What wrong tries are counted by: after how long a quiet they are forgotten, in milliseconds, and how it is said. */
const sorts = {
  wrongTries: { forgottenAfter: 24 * hour, words: 'on this account from this address' },
  wrongTriesOfAccount: { forgottenAfter: hour, words: 'on this account' },
  wrongTriesOfAddress: { forgottenAfter: hour, words: 'from this address' },
} as const satisfies { readonly [Name in LimitName]?: object };

type Sort = keyof typeof sorts;

/** How much is remembered of each sort, and of usual addresses: beyond that the oldest is forgotten. */
const mostRemembered = 50_000;

/** A try that has begun: it counts as wrong until it is known to be right. */
export interface Try {
  /** The password was right. */
  right(): void;
  /** It was neither right nor wrong: it does not count. */
  takeBack(): void;
}

/**
 * Passwords can't be guessed by trying many, from one address or from a
 * thousand; and whoever tries shuts nobody else out. Each wrong try is waited
 * for longer than the one before, up to a bound; and where an account was
 * signed in to before, from there it still is.
 */
export class SignInLimits {
  readonly #limits: Limits;
  readonly #clock: Clock;
  readonly #usual = new Map<string, true>();
  readonly #wrong: { readonly [Name in Sort]: Map<string, WrongTries> } = {
    wrongTries: new Map(),
    wrongTriesOfAccount: new Map(),
    wrongTriesOfAddress: new Map(),
  };

  constructor(limits: Limits, clock: Clock) {
    this.#limits = limits;
    this.#clock = clock;
  }

  /**
   * Somebody shows a password.
   *
   * @param account what it is for, whoever is known; left out for what can't be guessed, such as links
   * @throws Refusal `too-many-requests`, without a word on whether the account is known
   */
  enter(request: Request, environment: number | undefined, account?: string): Try {
    const address = addressOf(request);
    const named = account?.toLowerCase();
    const both = `${environment ?? ''} ${named} ${address}`;
    const counted: (readonly [Sort, string, string])[] = [];
    if (named !== undefined) counted.push(['wrongTries', both, `${named} from ${address}`]);
    if (!this.#usual.has(both)) {
      if (named !== undefined) counted.push(['wrongTriesOfAccount', `${environment ?? ''} ${named}`, named]);
      counted.push(['wrongTriesOfAddress', `${environment ?? ''} ${address}`, address]);
    }
    for (const [sort, key, who] of counted) this.#check(sort, key, environment, who);
    const before = counted.map(([sort, key]) => this.#count(sort, key));
    const takeBack = () => before.forEach((undo) => undo());
    return {
      takeBack,
      right: () => {
        takeBack();
        this.#wrong.wrongTries.delete(both);
        if (named !== undefined) keep(this.#usual, both, true);
      },
    };
  }

  /** Whoever has the mail that belongs to an account may try at once. */
  forget(environment: number | undefined, account: string): void {
    const start = `${environment ?? ''} ${account.toLowerCase()}`;
    this.#wrong.wrongTriesOfAccount.delete(start);
    for (const key of this.#wrong.wrongTries.keys())
      if (key.startsWith(`${start} `)) this.#wrong.wrongTries.delete(key);
  }

  #check(sort: Sort, key: string, environment: number | undefined, who: string): void {
    const free = this.#limits.of(environment)[sort];
    const tries = this.#tries(sort, key);
    if (tries === undefined || free === 0) return;
    const waits = nextTryAt(tries, free) - this.#clock.monotonic();
    if (waits <= 0) return;
    this.#limits.ranInto.note(environment, sort, who);
    const retryAfter = Math.ceil(waits / 1000);
    const time = retryAfter < 100 ? `${retryAfter} seconds` : `${Math.ceil(retryAfter / 60)} minutes`;
    const detail = `There were too many wrong tries, ${sorts[sort].words}: wait ${time}.`;
    throw new Refusal('too-many-requests', detail, { retryAfter });
  }

  /** @returns what to call if it was not wrong */
  #count(sort: Sort, key: string): () => void {
    const { count = 0 } = this.#tries(sort, key) ?? {};
    keep(this.#wrong[sort], key, { count: count + 1, lastAt: this.#clock.monotonic() });
    return () => {
      const tries = this.#wrong[sort].get(key);
      if (tries === undefined) return;
      if (tries.count <= 1) this.#wrong[sort].delete(key);
      else this.#wrong[sort].set(key, { ...tries, count: tries.count - 1 });
    };
  }

  #tries(sort: Sort, key: string): WrongTries | undefined {
    const tries = this.#wrong[sort].get(key);
    if (tries === undefined || this.#clock.monotonic() - tries.lastAt < sorts[sort].forgottenAfter) return tries;
    this.#wrong[sort].delete(key);
    return undefined;
  }
}

/** The one that was kept last stands last; the oldest goes where there are too many. */
function keep<Value>(map: Map<string, Value>, key: string, value: Value): void {
  map.delete(key);
  map.set(key, value);
  const [oldest] = map.keys();
  if (map.size > mostRemembered && oldest !== undefined) map.delete(oldest);
}
