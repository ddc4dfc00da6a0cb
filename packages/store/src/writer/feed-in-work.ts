import type { FeedEvent } from '../feed.js';
import type { Notes } from './undoable.js';

/** What the commands of a commit have to tell others: what a refused command told is taken back. */
export class FeedInWork {
  readonly #notes: Notes;
  #events: FeedEvent[] = [];

  constructor(notes: Notes) {
    this.#notes = notes;
  }

  tell(event: FeedEvent): void {
    this.#events.push(event);
    this.#notes.add(() => this.#events.pop());
  }

  /** What was told since the last time. */
  take(): readonly FeedEvent[] {
    const told = this.#events;
    if (told.length > 0) this.#events = [];
    return told;
  }
}
