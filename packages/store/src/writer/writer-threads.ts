import { SpareThread } from '../spare-thread.js';

/** The threads of writers, for one store after the other. */
export const writerThreads = new SpareThread(new URL('./writer-thread.js', import.meta.url), {
  maxYoungGenerationSizeMb: 24,
});

/** Lets the thread of the writer begin while everything else is still being loaded. */
export function startWriterAhead(): void {
  writerThreads.startAhead();
}
