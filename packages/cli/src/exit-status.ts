import { ServiceRefused, ServiceUnreachable } from '@vekkon/client/operator';

/** What a command ends with. */
export const exitStatus = { done: 0, refused: 1, wrongCommandLine: 2, notReached: 3 } as const;

/** The command line was wrong: what, and what to write instead. */
export class WrongCommandLine extends Error {
  override readonly name = 'WrongCommandLine';
}

/** What went wrong, for a person, and the status to end with. */
export function explain(error: unknown): { readonly message: string; readonly status: number } {
  if (error instanceof ServiceRefused) {
    const mistakes = (error.facts.mistakes ?? []).map(
      (one) => `\n  line ${one.line}, column ${one.column}: ${one.detail}`,
    );
    return { message: `${error.message} (${error.code})${mistakes.join('')}`, status: exitStatus.refused };
  }
  if (error instanceof ServiceUnreachable) {
    return { message: `${error.message} Is it running? Start it with "vekkon serve".`, status: exitStatus.notReached };
  }
  if (error instanceof WrongCommandLine) return { message: error.message, status: exitStatus.wrongCommandLine };
  return { message: error instanceof Error ? error.message : String(error), status: exitStatus.refused };
}
