import { WrongCommandLine } from '../exit-status.js';

/** Asks before something is removed or overwritten; `--yes` answers beforehand. */
export async function confirmed(question: string, isAnswered: boolean): Promise<void> {
  if (isAnswered) return;
  if (!process.stdin.isTTY) throw new WrongCommandLine(`${question} Without a terminal to ask on, add --yes.`);
  const { confirm } = await import('@inquirer/prompts');
  if (!(await confirm({ message: question, default: false }))) throw new WrongCommandLine('Nothing was done.');
}
