import type { Reached, SessionEnd } from '@vekkon/core';
import type { RecordsByKey } from '@vekkon/protocol';
import type { EnvironmentRow, SeasonRow } from './tables.js';
import type { TuningState } from './tuning.js';

/**
 * What a commit did that others must know, as plain data. Events leave the
 * writer in the order of commits, and before the answers of their commit.
 */
export type FeedEvent =
  | PlayerChanged
  | SessionEnded
  | {
      /** Somebody waits for a player whom a session holds. */
      readonly what: 'handover-wanted';
      readonly environment: number;
      readonly session: string;
      readonly host: string;
    }
  | {
      readonly what: 'player-erased';
      readonly environment: number;
      readonly player: string;
    }
  | {
      /** A player's standing is another, or there is none any more. */
      readonly what: 'standing-moved';
      /** The board's number. */
      readonly board: number;
      readonly season: number;
      /** The player's number. */
      readonly player: number;
      readonly standing: Reached | null;
    }
  | {
      /** A season was opened, has turned, was closed, or is done with. */
      readonly what: 'season';
      readonly environment: number;
      /** The board's key. */
      readonly key: string;
      readonly row: SeasonRow;
    }
  | {
      /** An edition was published, the draft was edited, or testers are others. */
      readonly what: 'tuning';
      readonly state: TuningState;
    }
  | {
      /** A player has joined a host. */
      readonly what: 'joined';
      readonly environment: number;
      readonly player: string;
      readonly session: string;
      readonly host: string;
      readonly isNew: boolean;
    }
  | {
      /** A line of the activity. */
      readonly what: 'noted';
      readonly line: {
        readonly environment: number | null;
        readonly at: number;
        readonly what: string;
        readonly by: string | null;
        readonly player: string | null;
        readonly detail: string;
      };
    }
  | {
      /** A gift is new, or has come further. */
      readonly what: 'gift';
      readonly environment: number;
      readonly gift: number;
    }
  | {
      /** It is new, or something about it has changed. */
      readonly what: 'environment';
      readonly row: EnvironmentRow;
    }
  | {
      /** A key or a token is over. */
      readonly what: 'credential-over';
      readonly hash: string;
    }
  | {
      /** The tokens of a device are over, all or all but one. */
      readonly what: 'device-over';
      readonly device: string;
      readonly but: string | null;
    };

/** A player's records were changed from outside a session. */
export interface PlayerChanged {
  readonly what: 'player-changed';
  readonly environment: number;
  readonly player: string;
  readonly keys: readonly string[];
  readonly seen: number;
  /** The session that the player is in, and what was changed under the names that it speaks. */
  readonly open: { readonly session: string; readonly host: string; readonly records: RecordsByKey } | null;
}

export interface SessionEnded {
  readonly what: 'session-ended';
  readonly environment: number;
  readonly player: string;
  readonly session: string;
  readonly host: string;
  readonly end: SessionEnd;
  /** The host whose join ended it; null where it left by itself. */
  readonly by: string | null;
}
