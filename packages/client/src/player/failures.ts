import { ServiceRefused, ServiceUnreachable, SessionOver, VekkonError } from '../errors.js';

/** Refusals after which nothing may be written for the session any more. */
export const endings: ReadonlySet<string> = new Set(['session-ended', 'session-unknown', 'host-replaced']);

/** May it succeed later, without anybody doing anything? */
export function mayPass(error: unknown): boolean {
  if (error instanceof ServiceRefused) {
    return error.canRetry || error.code === 'player-held' || error.code === 'join-superseded';
  }
  return error instanceof ServiceUnreachable || error instanceof SessionOver;
}

/** Goes on where it was refused for good. @throws what may pass, and what is no refusal */
export function refusedForGood(error: unknown): ServiceRefused {
  if (!(error instanceof VekkonError) || mayPass(error) || !(error instanceof ServiceRefused)) throw error;
  return error;
}
