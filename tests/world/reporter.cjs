const { writeFileSync } = require('node:fs');
const { reporters } = require('mocha');

/**
 * Mocha's usual report, closed by one plain line that programs can read, and
 * before it every test that skipped itself. `npm test` asks for the figures in
 * a file, and prints the last lines itself.
 */
module.exports = class PlainClosingLine extends reporters.Spec {
  constructor(runner, options) {
    super(runner, options);
    this.skipped = [];
    runner.on('pending', (test) => this.skipped.push(test.fullTitle()));
  }

  epilogue() {
    super.epilogue();
    const { passes, failures } = this.stats;
    const { VEKKON_TEST_FIGURES: file } = process.env;
    if (file !== undefined) return writeFileSync(file, JSON.stringify({ passes, failures, skipped: this.skipped }));
    for (const title of this.skipped) process.stdout.write(`skipped: ${title}\n`);
    process.stdout.write(`${passes} passed, ${failures} failed\n`);
  }
};
