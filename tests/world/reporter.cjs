const { reporters } = require('mocha');

/** Mocha's usual report, closed by one plain line that programs can read. */
module.exports = class PlainClosingLine extends reporters.Spec {
  epilogue() {
    super.epilogue();
    const { passes, failures } = this.stats;
    process.stdout.write(`${passes} passed, ${failures} failed\n`);
  }
};
