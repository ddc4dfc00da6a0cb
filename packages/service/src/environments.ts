import { Refusal } from '@vekkon/protocol';
import type { EnvironmentRow, FeedEvent } from '@vekkon/store';

/** The environments as they stand, held in memory: made from the store at start, kept by the feed. */
export class Environments {
  readonly #byNumber: Map<number, EnvironmentRow>;

  /** @param rows all that there are */
  constructor(rows: readonly EnvironmentRow[]) {
    this.#byNumber = new Map(rows.map((row) => [row.number, row]));
  }

  /** All of them, the oldest first. */
  get all(): readonly EnvironmentRow[] {
    return [...this.#byNumber.values()];
  }

  /** @throws Refusal `environment-unknown` */
  numbered(number: number): EnvironmentRow {
    const found = this.#byNumber.get(number);
    if (found === undefined) throw new Refusal('environment-unknown');
    return found;
  }

  named(game: string, name: string): EnvironmentRow | undefined {
    return this.all.find((one) => one.game === game && one.name === name);
  }

  /** Takes in what a commit did. */
  heed(event: FeedEvent): void {
    if (event.what === 'environment') this.#byNumber.set(event.row.number, event.row);
  }
}

/** May pages of a web origin take part in an environment's games? */
export function allowsOrigin({ origins }: EnvironmentRow, origin: string): boolean {
  return origins === null || (JSON.parse(origins) as readonly string[]).includes(origin);
}
