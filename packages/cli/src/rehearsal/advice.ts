import { ServiceRefused, ServiceUnreachable } from '@vekkon/client/host';
import type { Finding } from './step.js';

const adviceForCode: { readonly [code: string]: string } = {
  'credential-unknown':
    'The key belongs to another service or was not copied whole: compare its first characters with "vekkon key list".',
  'credential-revoked': 'The key was revoked: make a new one with "vekkon key create".',
  'credential-wrong-kind': 'This is not a host key: take the one that begins with vkh_.',
  'manifest-not-installed': 'The environment has no manifest yet: is it the key of another environment?',
  disturbed: 'A disturbance runs in this environment: see "vekkon disturb show".',
  'store-not-writable': 'The disk of the service is full or read-only: see its /ready.',
  'host-replaced': 'Another process runs under the same host name: give each host a name of its own.',
  'player-held': 'Another host holds the player and did not let go: does it answer handovers?',
};

/** The likeliest cause of a failure, and what to do. */
export function findingOf(error: unknown): Finding {
  if (error instanceof ServiceUnreachable) {
    return {
      found: error.message,
      isAsExpected: false,
      advice: 'Nothing answers there: check the address and the port, and any proxy or firewall on the way.',
    };
  }
  if (error instanceof ServiceRefused) {
    return {
      found: `${error.code}: ${error.message}`,
      isAsExpected: false,
      advice: adviceForCode[error.code] ?? `See ${error.problem.type} of the service.`,
    };
  }
  return {
    found: error instanceof Error ? error.message : String(error),
    isAsExpected: false,
    advice: 'This is not a refusal of the service: look at the message.',
  };
}
