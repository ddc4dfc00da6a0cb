import type { Command } from 'commander';
import { exitStatus } from '../exit-status.js';
import { print, type ShowOptions } from '../output/print.js';
import { faint, table } from '../output/table.js';
import { timeInWords, valueInWords } from '../output/words.js';
import { signedInOperator } from '../signed-in.js';
import { textOf } from '../text-of.js';
import { environmentOption, jsonOption } from './options.js';

export function addManifest(program: Command): void {
  const manifest = program.command('manifest').description('the file in which a game declares what it keeps');

  manifest
    .command('check <file>')
    .description('say every mistake in a manifest file, and what to write instead')
    .option(...jsonOption)
    .action(async (file: string, options: ShowOptions) => {
      // Loaded here: the other commands need no validator.
      const { readManifestFile } = await import('@vekkon/core/manifest-file');
      const read = readManifestFile(textOf(file));
      if ('manifest' in read) {
        const { game, records, tunables } = read.manifest;
        const count = `${Object.keys(records).length} records, ${Object.keys(tunables).length} tunables`;
        print({ mistakes: [] }, options, () => `${file} is right: ${game}, ${count}.`);
        return;
      }
      print({ mistakes: read.mistakes }, options, () =>
        read.mistakes.map(({ line, column, detail }) => `${file}:${line}:${column}  ${detail}`).join('\n'),
      );
      process.exitCode = exitStatus.refused;
    });

  manifest
    .command('show')
    .description('what is installed')
    .option(...environmentOption)
    .option(...jsonOption)
    .action(async (options: ShowOptions) => {
      const installed = await signedInOperator(options.environment).manifest();
      const rows = Object.entries(installed.manifest.records).map(([key, declaration]) => [
        declaration.family === undefined ? key : `${key}/…`,
        declaration.kind === 'score'
          ? `${declaration.better} is better, ${declaration.counts}`
          : valueInWords(declaration.starting, 50),
        declaration.lasts,
        declaration.player,
        declaration.about ?? '',
      ]);
      const title = `${installed.manifest.title}, version ${installed.version}, installed ${timeInWords(installed.installedAt)}`;
      print(
        installed,
        options,
        () => `${faint(title)}\n\n${table(['RECORD', 'STARTS AT', 'LASTS', 'PLAYER', 'ABOUT'], rows)}`,
      );
    });
}
