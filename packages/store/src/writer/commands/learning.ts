import type { Manifest } from '@vekkon/core';
import { Refusal } from '@vekkon/protocol/problems';
import type { EnvironmentRow } from '../../tables.js';
import { environmentOf, updateEnvironment, type Stamp, type WriterContext } from '../context.js';
import { note } from './activity.js';

/** Keeps what was learned on the way of a change: the next one finds it declared. */
export async function keepLearned(
  context: WriterContext,
  environment: EnvironmentRow,
  before: Manifest,
  after: Manifest,
  { by, now }: { readonly by: string; readonly now: number },
): Promise<void> {
  for (const section of ['records', 'items'] as const) {
    for (const [name, declaration] of Object.entries(after[section])) {
      if (Object.hasOwn(before[section], name)) continue;
      await context.db
        .insertInto('learned')
        .values({
          environment: environment.number,
          section,
          name,
          declaration: JSON.stringify(declaration),
          at: now,
          by,
        })
        .execute();
    }
  }
  await updateEnvironment(context, environment.number, { learned: environment.learned + 1 });
}

export interface SetLearning {
  readonly environment: number;
  readonly learns: boolean;
  readonly by: string;
}

/** Lets an environment learn, or no longer. What it has learned stays declared until a version is installed without it. */
export async function setLearning(
  context: WriterContext,
  { environment: number, learns, by, now }: SetLearning & Stamp,
): Promise<null> {
  const environment = await environmentOf(context, number);
  if (environment.is_live === 1 && learns) throw new Refusal('learning-is-for-tests');
  await updateEnvironment(context, number, { learns: learns ? 1 : 0 });
  const what = learns ? 'learning-on' : 'learning-off';
  const detail = learns ? 'keys that are not declared are taken' : 'keys that are not declared are refused';
  await note(context, { environment: number, what, by, player: null, detail, now });
  return null;
}
