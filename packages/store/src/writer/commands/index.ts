import type { Refusal } from '@vekkon/protocol';
import { addKey, createEnvironment } from './environments.js';
import { join } from './join.js';
import { addCredential, addFirstAdmin, addOperator, revokeCredential } from './operators.js';
import { putRecord } from './put-record.js';
import { save } from './save.js';

/** Every command of the writer, by name. */
export const commands = {
  join,
  save,
  putRecord,
  createEnvironment,
  addKey,
  addOperator,
  addFirstAdmin,
  addCredential,
  revokeCredential,
};

type Commands = typeof commands;
export type CommandName = keyof Commands;
/** What a command takes; the writer adds when it was given. */
export type CommandInput<Name extends CommandName> = Omit<Parameters<Commands[Name]>[1], 'now' | 'monotonic'>;
export type CommandOutcome<Name extends CommandName> = Exclude<Awaited<ReturnType<Commands[Name]>>, Refusal>;
