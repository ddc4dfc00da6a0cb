import { constants, setPriority } from 'node:os';

/**
 * Lets the thread that calls it wait for a processor behind those that answer
 * saves, where there are too few. Linux keeps a priority for each thread;
 * elsewhere it would be that of the whole process.
 *
 * Source: setpriority(2), "C library/kernel differences".
 */
export function giveWay(): void {
  if (process.platform === 'linux') setPriority(constants.priority.PRIORITY_BELOW_NORMAL);
}
