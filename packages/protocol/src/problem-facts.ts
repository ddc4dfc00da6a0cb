/** Stored records that do not fit a manifest, of one declared key. */
export interface MisfitCount {
  readonly key: string;
  readonly count: number;
  readonly examples: readonly { readonly player: string; readonly key: string; readonly detail: string }[];
}

/** Facts of one case that a program can use, beside the code. */
export interface ProblemFacts {
  readonly key?: string | undefined;
  readonly pointer?: string | undefined;
  readonly nearest?: string | undefined;
  /** The save number that is expected. */
  readonly expected?: number | undefined;
  /** The highest number whose answer the sender said that it has. */
  readonly answered?: number | undefined;
  /** The revision that is stored. */
  readonly revision?: number | undefined;
  /** The player's last commit. */
  readonly seen?: number | undefined;
  /** Who holds the player, and until when (RFC 3339) unless it renews. */
  readonly holder?: { readonly host: string; readonly leaseEndsAt: string } | undefined;
  readonly issues?: readonly { readonly pointer: string; readonly detail: string }[] | undefined;
  readonly mistakes?:
    readonly { readonly line: number; readonly column: number; readonly detail: string }[] | undefined;
  /** The names of the checkpoints that there are. */
  readonly checkpoints?: readonly string[] | undefined;
  /** Where transactions that came too late are kept, in their order. */
  readonly unsettled?: readonly string[] | undefined;
  /** How many stored records would not fit, under which keys, with examples. */
  readonly misfits?: readonly MisfitCount[] | undefined;
  /** What made the draft another, the newest first. */
  readonly changes?:
    | readonly {
        readonly revision: number;
        readonly tunable: string;
        readonly words: string;
        readonly by: string;
        readonly at: string;
      }[]
    | undefined;
  /** The tunables that it is about. */
  readonly tunables?: readonly string[] | undefined;
  /** Seconds until it makes sense to try again. */
  readonly retryAfter?: number | undefined;
}
