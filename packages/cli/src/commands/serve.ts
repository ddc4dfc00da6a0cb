import { Option, type Command } from 'commander';
import { portOf, untilAsked } from './running.js';

interface ServeOptions {
  readonly data: string;
  readonly port: number;
  readonly listen: string;
  readonly log?: 'plain' | 'json';
  readonly acceptOlder: boolean;
  readonly trustClock: boolean;
}

export function addServe(program: Command): void {
  program
    .command('serve')
    .description('start the service on a data folder')
    .requiredOption('--data <folder>', 'where everything is kept; made if it is missing')
    .option('--port <number>', 'the port to listen on', portOf, 4600)
    .option('--listen <address>', 'the address to listen on', '127.0.0.1')
    .addOption(
      new Option('--log <form>', 'plain lines for people or JSON lines for programs').choices(['plain', 'json']),
    )
    .option('--accept-older', 'start on a database that is older than its last acknowledged commit', false)
    .option('--trust-clock', "take this machine's clock as right, however far it has jumped", false)
    .action(async (options: ServeOptions) => {
      // Loaded here, so that the commands that only call a service start fast.
      const { openLog, startService } = await import('@vekkon/service');
      const asked = untilAsked();
      const service = await startService({
        ...options,
        log: openLog(options.log),
        acceptsOlder: options.acceptOlder,
        trustsClock: options.trustClock,
      });
      if (service.firstAdminLink !== null) {
        process.stdout.write(
          `\nNobody can sign in yet. Open this link to make the first admin; it works once, and for an hour:\n\n  ${service.firstAdminLink}\n\n`,
        );
      }
      await asked;
      await service.close();
    });
}
