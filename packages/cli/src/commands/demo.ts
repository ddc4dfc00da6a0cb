import type { Command } from 'commander';
import { bold, faint } from '../output/table.js';
import { durationFrom } from './options.js';
import { askedOrFault, countOf, portOf, untilAsked } from './running.js';

interface DemoOptions {
  readonly data: string;
  readonly port: number;
  readonly pilots: number;
  readonly history: number;
  readonly fresh: boolean;
  readonly seasonIn?: number;
}

export function addDemo(program: Command): void {
  program
    .command('demo')
    .description('start the service with Highfell Gliders on it, and pilots who play')
    .option('--port <number>', 'the port to listen on', portOf, 4600)
    .option('--data <folder>', 'where the demo is kept; one that has data is kept as it is', 'demo-data')
    .option('--pilots <count>', 'how many simulated pilots fly', countOf, 12)
    .option('--history <count>', 'how many pilots have forty days of made-up play behind them', countOf, 2_400)
    .option('--season-in <time>', 'let the season of the gorge turn after so long, such as 2m', durationFrom)
    .option('--fresh', 'throw away what is in the folder and start over', false)
    .action(async (options: DemoOptions) => {
      (await import('@vekkon/service/ahead')).startWriterAhead();
      const { startDemo } = await import('@vekkon/demo');
      const asked = untilAsked();
      const demo = await startDemo({ ...options, say: (line) => process.stdout.write(`${line}\n`) });
      const { access } = demo;
      const key = 'progress/climbs';
      const lines = [
        '',
        bold('Highfell Gliders is up.'),
        `  Play       ${access.url}/play/`,
        `  Console    ${access.url}/console/`,
        `  Sign in    ${access.operator.email}  password  ${access.operator.password}`,
        `  Host key   ${access.hostKey}`,
        `  Try        curl -H 'Authorization: Bearer ${access.hostKey}' ${access.url}/v1/players/p-10400/records/${key}`,
        '',
        faint(
          `${options.pilots} simulated pilots fly. Log and keys are in ${options.data} (service.log, access.json). Ctrl-C ends the demo.`,
        ),
        '',
      ];
      process.stdout.write(`${lines.join('\n')}\n`);
      await askedOrFault(asked, demo.service.fault);
      process.stdout.write('\nThe pilots land …\n');
      await demo.close();
      const { joins, saves, leaves, foundAgain, differences, failures } = demo.fleet.report;
      process.stdout.write(
        `${joins} joins, ${saves} saves, ${leaves} leaves. Joined again and found everything as it was: ${foundAgain}; found something else: ${differences.length}; failed: ${failures.length}.\n`,
      );
      for (const line of [...differences.slice(0, mostLines), ...countedByCause(failures)]) {
        process.stdout.write(`  ${line}\n`);
      }
    });
}

const mostLines = 10;

/** One line a cause, with how often it was met and the first pilot who met it. */
function countedByCause(failures: readonly string[]): readonly string[] {
  const causes = new Map<string, { count: number; readonly first: string }>();
  for (const failure of failures) {
    const cause = failure.replace(/^[^:]*: /, '').replaceAll(/\d{4}-\d\d-\d\dT[\d:.]+Z/g, '…');
    const known = causes.get(cause) ?? { count: 0, first: failure };
    known.count++;
    causes.set(cause, known);
  }
  return [...causes.values()]
    .sort((a, b) => b.count - a.count)
    .slice(0, mostLines)
    .map(({ count, first }) => (count === 1 ? first : `${count} times: ${first}`));
}
