import { NotedMap, type Notes } from './undoable.js';

/**
 * How long each open session is promised to its host.
 *
 * Kept in memory and by the monotonic clock: a renewal costs no commit, and a
 * wall clock that jumps ends nothing. After a start of the service every open
 * session has one full lease from then.
 */
export class Leases {
  readonly #ends: NotedMap<string, number>;

  /** @param startedAt the monotonic time at which this start of the service began */
  constructor(
    readonly startedAt: number,
    notes: Notes,
  ) {
    this.#ends = new NotedMap(notes);
  }

  /** Promises the session for `leaseSeconds` from now. @returns the monotonic time at which the lease ends */
  renew(session: string, leaseSeconds: number, monotonic: number): number {
    const ends = monotonic + leaseSeconds * 1000;
    this.#ends.set(session, ends);
    return ends;
  }

  /** The monotonic time at which the lease ends, or ended. */
  endOf(session: string, leaseSeconds: number): number {
    return this.#ends.get(session) ?? this.startedAt + leaseSeconds * 1000;
  }

  forget(session: string): void {
    this.#ends.delete(session);
  }
}
