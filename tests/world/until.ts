import { setTimeout as pause } from 'node:timers/promises';

/** Milliseconds between two looks: what is waited for goes on meanwhile. */
const betweenLooks = 5;

/** Waits until something holds, looking again and again; the test's own time is the end of it. */
export async function until(holds: () => boolean | Promise<boolean>): Promise<void> {
  while (!(await holds())) await pause(betweenLooks);
}
