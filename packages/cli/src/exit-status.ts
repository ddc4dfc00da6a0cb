import { InvalidArgumentError } from 'commander';
import { ServiceRefused, ServiceUnreachable } from '@vekkon/client/operator';

/** What a command ends with. */
export const exitStatus = { done: 0, refused: 1, wrongCommandLine: 2, notReached: 3 } as const;

/** The command line was wrong: what, and what to write instead. */
export class WrongCommandLine extends Error {
  override readonly name = 'WrongCommandLine';
}

/** What the command was to be done to is not there. */
export class NotThere extends Error {
  override readonly name = 'NotThere';
}

/** Where the service speaks of headers, whoever types commands is told of commands. */
function forCommands({ code, message }: ServiceRefused): string {
  if (code === 'environment-not-named') {
    return 'There are several environments: name one with --environment GAME/ENVIRONMENT, or in VEKKON_ENVIRONMENT. "vekkon game list" shows them.';
  }
  if (code === 'credential-unknown' || code === 'credential-missing') {
    return 'This service does not know your sign-in: sign in to it with "vekkon sign-in --url URL".';
  }
  if (code === 'credential-revoked')
    return `${message.replace(/: sign in again\.$/, '')}: sign in again with "vekkon sign-in".`;
  return message;
}

/** What went wrong, for a person, and the status to end with. */
export function explain(error: unknown): { readonly message: string; readonly status: number } {
  if (error instanceof ServiceRefused) {
    const mistakes = (error.facts.mistakes ?? []).map(
      (one) => `\n  line ${one.line}, column ${one.column}: ${one.detail}`,
    );
    return { message: `${forCommands(error)} (${error.code})${mistakes.join('')}`, status: exitStatus.refused };
  }
  if (error instanceof ServiceUnreachable) {
    return { message: `${error.message} Is it running? Start it with "vekkon serve".`, status: exitStatus.notReached };
  }
  if (error instanceof InvalidArgumentError) return { message: error.message, status: exitStatus.wrongCommandLine };
  if (error instanceof WrongCommandLine) return { message: error.message, status: exitStatus.wrongCommandLine };
  return { message: error instanceof Error ? error.message : String(error), status: exitStatus.refused };
}
