const width = 30;

/** How far something long has come, on a terminal; nothing elsewhere. */
export class ProgressBar {
  readonly #what: string;
  readonly #isShown: boolean;
  #last = -1;

  constructor(what: string, isQuiet: boolean) {
    this.#what = what;
    this.#isShown = process.stderr.isTTY === true && !isQuiet;
  }

  show(done: number, total: number): void {
    const full = total === 0 ? width : Math.floor((done / total) * width);
    if (!this.#isShown || (full === this.#last && done !== total)) return;
    this.#last = full;
    process.stderr.write(`\r${'█'.repeat(full)}${'░'.repeat(width - full)} ${done} of ${total} ${this.#what}`);
  }

  end(): void {
    if (this.#isShown && this.#last >= 0) process.stderr.write('\r\u001b[2K');
  }
}
