import { version } from '@vekkon/protocol/version';
import { Command, CommanderError, InvalidArgumentError } from 'commander';
import { exitStatus, explain } from './exit-status.js';

const program = new Command('vekkon')
  .description('Keeps what each player must find again the next time they play.')
  .version(version)
  .showHelpAfterError('Add --help to see what can be written.')
  // "--version" after a command is that command's own.
  .enablePositionalOptions()
  .exitOverride();

/** Each command's file is loaded where it is asked for: in the order of the list of commands. */
const commands: { readonly [name: string]: () => Promise<(program: Command) => void> } = {
  serve: async () => (await import('./commands/serve.js')).addServe,
  demo: async () => (await import('./commands/demo.js')).addDemo,
  init: async () => (await import('./commands/init.js')).addInit,
  'sign-in': async () => (await import('./commands/sign-in.js')).addSignIn,
  'sign-out': async () => (await import('./commands/sign-in.js')).addSignOut,
  operator: async () => (await import('./commands/operator.js')).addOperator,
  game: async () => (await import('./commands/game.js')).addGame,
  key: async () => (await import('./commands/key.js')).addKey,
  account: async () => (await import('./commands/account.js')).addAccount,
  manifest: async () => (await import('./commands/manifest.js')).addManifest,
  player: async () => (await import('./commands/player.js')).addPlayer,
  session: async () => (await import('./commands/session.js')).addSession,
  unsettled: async () => (await import('./commands/unsettled.js')).addUnsettled,
  gift: async () => (await import('./commands/gift.js')).addGift,
  board: async () => (await import('./commands/board.js')).addBoard,
  tuning: async () => (await import('./commands/tuning.js')).addTuning,
  activity: async () => (await import('./commands/activity.js')).addActivity,
  rehearse: async () => (await import('./commands/rehearse.js')).addRehearse,
  disturb: async () => (await import('./commands/disturb.js')).addDisturb,
  import: async () => (await import('./commands/import.js')).addImport,
  export: async () => (await import('./commands/export.js')).addExport,
  spool: async () => (await import('./commands/spool.js')).addSpool,
  verify: async () => (await import('./commands/verify.js')).addVerify,
};

const named = process.argv[2] ?? '';
const asked = Object.hasOwn(commands, named) ? commands[named] : undefined;
for (const load of asked === undefined ? Object.values(commands) : [asked]) (await load())(program);
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
