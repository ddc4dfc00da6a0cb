import type { Stamp, WriterContext } from './context.js';
import { note, type Note } from './commands/activity.js';

/** Notes what a session did. */
export async function notePlay(
  context: WriterContext,
  { environment, device, now }: { readonly environment: number; readonly device: string | null } & Pick<Stamp, 'now'>,
  line: Omit<Note, 'environment'>,
): Promise<void> {
  if (device !== null && !context.notedOfDevices.isFirst(device, line.what, now)) return;
  await note(context, { ...line, environment, now });
}
