/** Options that every command that shows something takes. */
export interface ShowOptions {
  readonly json?: boolean;
  readonly environment?: string;
}

/** Prints an answer: as JSON for programs, else as text for people. */
export function print(answer: unknown, options: ShowOptions, inWords: () => string): void {
  process.stdout.write(options.json ? `${JSON.stringify(answer, null, 2)}\n` : `${inWords()}\n`);
}
