/**
 * How far the clock may jump, in milliseconds, before somebody must say that
 * it is right: a long weekend without the service is nothing to ask about.
 */
const mostJump = 3 * 24 * 60 * 60 * 1000;

/**
 * The time by which things grow old: tokens, answers, what lies in the trash.
 *
 * A service that starts under a wrong clock must not take what it keeps for
 * outdated. Where the clock stands far from where it should, by the last
 * commit and the clock that never jumps, time goes on from there instead,
 * until the clock is right again or a person says that it is.
 */
export class TrustedTime {
  #trusted: number;
  #monotonic: number;
  #jump = 0;

  /**
   * @param trusted   when the last commit was, milliseconds since 1970; undefined if there was none
   * @param now       milliseconds since 1970
   * @param monotonic milliseconds by the clock that never jumps
   */
  constructor(trusted: number | undefined, now: number, monotonic: number) {
    this.#trusted = trusted ?? now;
    this.#monotonic = monotonic;
    this.at(now, monotonic);
  }

  /** @returns `now`, or where the clock has jumped, when it would be without that */
  at(now: number, monotonic: number): number {
    const expected = this.#trusted + monotonic - this.#monotonic;
    this.#jump = Math.abs(now - expected) > mostJump ? now - expected : 0;
    this.#trusted = this.#jump === 0 ? now : expected;
    this.#monotonic = monotonic;
    return this.#trusted;
  }

  /** How far the clock stands from where it should, in milliseconds; 0 where it is trusted. */
  get jump(): number {
    return this.#jump;
  }
}
