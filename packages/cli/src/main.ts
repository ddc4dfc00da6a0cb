import { version } from '@vekkon/protocol/version';
import { Command, CommanderError, InvalidArgumentError } from 'commander';
import { addActivity } from './commands/activity.js';
import { addDemo } from './commands/demo.js';
import { addDisturb } from './commands/disturb.js';
import { addGame } from './commands/game.js';
import { addGift } from './commands/gift.js';
import { addExport } from './commands/export.js';
import { addImport } from './commands/import.js';
import { addInit } from './commands/init.js';
import { addAccount } from './commands/account.js';
import { addKey } from './commands/key.js';
import { addManifest } from './commands/manifest.js';
import { addOperator } from './commands/operator.js';
import { addPlayer } from './commands/player.js';
import { addRehearse } from './commands/rehearse.js';
import { addSession } from './commands/session.js';
import { addServe } from './commands/serve.js';
import { addSignIn, addSignOut } from './commands/sign-in.js';
import { addSpool } from './commands/spool.js';
import { addBoard } from './commands/board.js';
import { addTuning } from './commands/tuning.js';
import { addUnsettled } from './commands/unsettled.js';
import { addVerify } from './commands/verify.js';
import { exitStatus, explain } from './exit-status.js';

const program = new Command('vekkon')
  .description('Keeps what each player must find again the next time they play.')
  .version(version)
  .showHelpAfterError('Add --help to see what can be written.')
  // "--version" after a command is that command's own.
  .enablePositionalOptions()
  .exitOverride();

addServe(program);
addDemo(program);
addInit(program);
addSignIn(program);
addSignOut(program);
addOperator(program);
addGame(program);
addKey(program);
addAccount(program);
addManifest(program);
addPlayer(program);
addSession(program);
addUnsettled(program);
addGift(program);
addBoard(program);
addTuning(program);
addActivity(program);
addRehearse(program);
addDisturb(program);
addImport(program);
addExport(program);
addSpool(program);
addVerify(program);
for (const command of program.commands.flatMap((one) => [one, ...one.commands])) command.copyInheritedSettings(program);

try {
  await program.parseAsync();
} catch (error) {
  // One that a command throws itself has not been printed yet.
  if (error instanceof CommanderError && !(error instanceof InvalidArgumentError)) {
    process.exitCode = error.exitCode === 0 ? exitStatus.done : exitStatus.wrongCommandLine;
  } else {
    const { message, status } = explain(error);
    process.stderr.write(`vekkon: ${message}\n`);
    process.exitCode = status;
  }
}
