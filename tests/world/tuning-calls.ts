import { ServiceRefused, type VekkonOperator } from '@vekkon/client';
import type { JoinResponse, SaveResponse, TuningAnswer } from '@vekkon/protocol';
import type { World } from './world.js';

type Tuned = Omit<Parameters<VekkonOperator['tuning']['put']>[1], 'revision'>;

/** What a call was refused with. */
export async function refusal(call: Promise<unknown>): Promise<ServiceRefused> {
  const error: unknown = await call.then(
    () => undefined,
    (reason: unknown) => reason,
  );
  if (!(error instanceof ServiceRefused)) throw new Error(`It was not refused: ${String(error)}`);
  return error;
}

/** Publishes one tunable, and nothing else of the draft. */
export async function publish({ operator: { tuning } }: World, tunable: string, tuned: Tuned) {
  const { revision } = await tuning.draft();
  const put = await tuning.put(tunable, { ...tuned, revision });
  return tuning.publish({ note: `another ${tunable}`, revision: put.revision, only: [tunable] });
}

/** What a player gets, or nobody in particular, past the client. */
export async function got(world: World, player?: string): Promise<TuningAnswer> {
  const query = player === undefined ? '' : `?player=${player}`;
  return (await world.call('GET', `/v1/tuning${query}`)).body as TuningAnswer;
}

/** A join past the client. */
export async function joined(world: World, player: string, attributes: object = {}, more: object = {}) {
  const body = { host: 'ridge-eu-1', attributes, ...more };
  return (await world.call('POST', `/v1/players/${player}/join`, body)).body as JoinResponse;
}

/** A save past the client. */
export async function saved(world: World, session: string, number: number, changes: readonly object[] = []) {
  const transactions = changes.length === 0 ? [] : [{ changes }];
  return (await world.call('POST', `/v1/sessions/${session}/saves`, { number, transactions })).body as SaveResponse;
}
