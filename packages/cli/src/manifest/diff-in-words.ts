import type { ManifestDiffResponse, MistakeList } from '@vekkon/protocol';
import { bold, faint, table } from '../output/table.js';

/** Every mistake in a file, as an editor can jump to it. */
export function mistakesInWords(file: string, mistakes: MistakeList['mistakes']): string {
  return mistakes.map(({ line, column, detail }) => `${file}:${line}:${column}  ${detail}`).join('\n');
}

/** What installing a file would do. */
export function diffInWords(diff: ManifestDiffResponse): string {
  const { differences, conflicts, misfits, hosts, tuning, installed } = diff;
  const parts: string[] = [];
  if (differences.length === 0) parts.push(`Nothing is different from version ${installed ?? 0}.`);
  else {
    const rows = differences.map((one) => [one.is, one.what, one.detail, one.breaks ? 'may break' : '']);
    parts.push(table(['', `SINCE VERSION ${installed ?? 0}`, 'WHAT', ''], rows));
  }
  if (conflicts.length > 0)
    parts.push([bold('It can not be installed:'), ...conflicts.map((one) => `  ${one}`)].join('\n'));
  if (misfits.length > 0) parts.push(misfitsInWords(misfits));
  if (hosts.length > 0) {
    const lines = hosts.map(({ host, version, sessions, breaks }) => {
      const what = breaks.map((one) => `${one.what} ${one.detail}`).join('; ');
      return `  ${host}, built against version ${version}, ${sessions} in session: ${what}`;
    });
    parts.push([bold('Hosts that it would break:'), ...lines].join('\n'));
  }
  if (tuning.length > 0) {
    const lines = tuning.map(({ where, isRunning, tunable, adjustment, detail }) => {
      const which = adjustment === null ? tunable : `${tunable}, adjustment ${adjustment}`;
      return `  ${where}${isRunning ? ', which runs now' : ''}: ${which}: ${detail}`;
    });
    parts.push([bold('Tuning that would count no more:'), ...lines].join('\n'));
  }
  return parts.join('\n\n');
}

function misfitsInWords(misfits: ManifestDiffResponse['misfits']): string {
  const lines = misfits.flatMap(({ key, count, examples }) => [
    `  ${key}: ${count}`,
    ...examples.map((one) => faint(`    ${one.player}  ${one.key}  ${one.detail}`)),
  ]);
  return [bold('Stored records that would no longer fit:'), ...lines].join('\n');
}
