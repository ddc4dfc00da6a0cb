import { openSync } from 'node:fs';
import path from 'node:path';
import { makeFolder } from '@vekkon/store';
import pino, { type Logger } from 'pino';
import pretty from 'pino-pretty';

export type { Logger } from 'pino';

/**
 * The service's log.
 *
 * @param form `json` lines for programs, `plain` lines for people; left out: what suits the output
 * @param to   a file to append to; standard output if left out
 */
export function openLog(form: 'json' | 'plain' | undefined, to?: string): Logger {
  const level = process.env['VEKKON_LOG_LEVEL'] ?? 'info';
  const isPlain = form === 'plain' || (form === undefined && to === undefined && process.stdout.isTTY);
  if (isPlain) {
    return pino(
      { level },
      pretty({ ignore: 'pid,hostname', translateTime: 'HH:MM:ss', singleLine: true, colorize: process.stdout.isTTY }),
    );
  }
  if (to !== undefined) makeFolder(path.dirname(to));
  // Opened here, so that a log that can't be written is known at once.
  return pino({ level }, pino.destination({ fd: to === undefined ? 1 : openSync(to, 'a'), sync: false }));
}
