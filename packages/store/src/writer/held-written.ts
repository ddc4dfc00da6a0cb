/** What a player's devices wrote within an hour, as it stands in the store. */
export interface HeldWritten {
  /** Hours since 1970. */
  readonly hour: number;
  /** In bytes. */
  readonly written: number;
  /** What holding it takes, about. */
  readonly bytes: number;
}

/** How much of it is held at the most, in bytes: of some forty thousand players. */
export const mostWrittenHeld = 4 * 1024 * 1024;

const heldBytes = 100;

export function heldWritten(hour: number, written: number): HeldWritten {
  return { hour, written, bytes: heldBytes };
}
