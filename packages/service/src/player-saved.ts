/**
 * A session has saved. Counted and told where it is answered, and no event of
 * the feed: one for each save would cross the threads, mostly for nobody.
 */
export interface PlayerSaved {
  readonly environment: number;
  readonly player: string;
  readonly host: string;
  /** The codes of the problems that its transactions met. */
  readonly refused: readonly string[];
  readonly isLeave: boolean;
  /** It was sent before, and answered as it was then. */
  readonly isAgain: boolean;
}
