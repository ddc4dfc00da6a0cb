import { ServiceRefused, ServiceUnreachable, SessionOver } from '../errors.js';

/** Refusals after which nothing may be written for the session any more. */
export const endings: ReadonlySet<string> = new Set([
  'session-ended',
  'session-unknown',
  'host-replaced',
  'sign-in-over',
]);

/** May it succeed later, without anybody doing anything? */
export function mayPass(error: unknown): boolean {
  if (error instanceof ServiceRefused) {
    return error.canRetry || error.code === 'player-held' || error.code === 'join-superseded';
  }
  return error instanceof ServiceUnreachable || error instanceof SessionOver;
}

/** Must somebody sign in before anything can be sent? */
export function isSignInOver(error: unknown): boolean {
  return error instanceof ServiceRefused && error.code === 'sign-in-over';
}

/** Goes on where it was refused for good. @throws what may pass, and what is no refusal */
export function refusedForGood(error: unknown): ServiceRefused {
  if (!(error instanceof ServiceRefused) || mayPass(error) || isSignInOver(error)) throw error;
  return error;
}
