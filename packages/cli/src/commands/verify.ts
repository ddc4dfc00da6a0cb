import type { Command } from 'commander';
import { exitStatus } from '../exit-status.js';
import { print } from '../output/print.js';
import { ProgressBar } from '../output/progress-bar.js';
import { bold, faint } from '../output/table.js';
import { jsonOption } from './options.js';

export function addVerify(program: Command): void {
  program
    .command('verify')
    .description('check that what is stored agrees with itself; a service may run meanwhile')
    .option('--data <folder>', 'the data folder of the service', 'data')
    .option(...jsonOption)
    .action(async (options: { readonly data: string; readonly json?: boolean }) => {
      // Loaded here: the other commands need no database.
      const { verifyStore } = await import('@vekkon/store');
      const bar = new ProgressBar('players', options.json === true);
      const found = await verifyStore(options.data, (done, total) => bar.show(done, total)).finally(() => bar.end());
      print(found, options.json === undefined ? {} : { json: options.json }, () => {
        const { players, records, revisions, ledgerLines, sessions, faults } = found;
        const looked = `${players} players, ${records} records, ${revisions} revisions, ${ledgerLines} ledger lines, ${sessions} sessions`;
        if (faults.length === 0) {
          return `${looked}: everything agrees. The database is whole, each record ends its history, and each balance is the sum of its ledger.`;
        }
        const lines = faults.map(
          ({ environment, player, detail, mend }) =>
            `${bold(player)}  ${detail}\n    ${faint(`${environment}, how it would be mended:`)} ${mend}`,
        );
        return `${looked}. ${faults.length} ${faults.length === 1 ? 'thing does' : 'things do'} not agree; nothing was changed.\n\n${lines.join('\n')}`;
      });
      if (found.faults.length > 0) process.exitCode = exitStatus.refused;
    });
}
