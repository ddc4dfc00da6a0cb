import { Option, type Command } from 'commander';
import { portOf, untilAsked } from './running.js';

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
    .action(async (options: { data: string; port: number; listen: string; log?: 'plain' | 'json' }) => {
      // Loaded here, so that the commands that only call a service start fast.
      const { openLog, startService } = await import('@vekkon/service');
      const asked = untilAsked();
      const service = await startService({ ...options, log: openLog(options.log) });
      if (service.firstAdminLink !== null) {
        process.stdout.write(
          `\nNobody can sign in yet. Open this link to make the first admin; it works once, and for an hour:\n\n  ${service.firstAdminLink}\n\n`,
        );
      }
      await asked;
      await service.close();
    });
}
