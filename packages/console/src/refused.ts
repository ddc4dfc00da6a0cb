import { ServiceRefused } from '@vekkon/client/operator';

/** Did the service say that whoever this was is not signed in any more? */
export function refusedCredential(error: unknown): boolean {
  return error instanceof ServiceRefused && error.status === 401;
}
