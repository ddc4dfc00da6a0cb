import { utf8Bytes } from '@vekkon/core';
import type { LeaveResponse, ProblemDetails, SaveResponse } from '@vekkon/protocol';
import { ServiceRefused } from '../errors.js';
import type { Transport } from '../transport/transport.js';
import type { NumberedSave } from './stay.js';

/** A save on its way in a bulk request. A leave that saves nothing has no number. */
export interface BulkSave extends Omit<NumberedSave, 'number'> {
  readonly session: string;
  readonly number?: number;
  readonly seen?: number;
  readonly answered?: number;
  readonly tuned?: string;
}

export type BulkResult = { readonly answer: SaveResponse | LeaveResponse } | { readonly refused: ServiceRefused };

const savesPerRequest = 500;
const bytesPerRequest = 6 * 1024 * 1024;

/**
 * Sends many saves in as few requests as they fit in.
 *
 * @returns a result for each, in their order
 * @throws ServiceUnreachable or ServiceRefused if a request as a whole failed
 */
export async function sendBulk(transport: Transport, saves: readonly BulkSave[]): Promise<readonly BulkResult[]> {
  const results: BulkResult[] = [];
  for (const part of parts(saves)) {
    const { results: answers } = await transport.send<{ results: (SaveResponse | ProblemDetails)[] }>({
      method: 'POST',
      path: '/v1/saves',
      body: { saves: part },
    });
    for (const answer of answers) {
      results.push('code' in answer ? { refused: new ServiceRefused(answer) } : { answer });
    }
  }
  return results;
}

function parts(saves: readonly BulkSave[]): readonly BulkSave[][] {
  const all: BulkSave[][] = [];
  let bytes = Infinity;
  for (const save of saves) {
    const size = utf8Bytes(JSON.stringify(save));
    const last = all.at(-1);
    if (last === undefined || last.length >= savesPerRequest || bytes + size > bytesPerRequest) {
      all.push([save]);
      bytes = size;
    } else {
      last.push(save);
      bytes += size;
    }
  }
  return all;
}
