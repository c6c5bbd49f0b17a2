const { writeFileSync } = require('node:fs')
const { reporters } = require('mocha')

/** Mocha's spec reporter, which also leaves the counts in the file that TEST_OUTCOME names. */
module.exports = class CountingReporter extends reporters.Spec {
  constructor(runner, options) {
    super(runner, options)
    runner.once('end', () => writeFileSync(process.env.TEST_OUTCOME, JSON.stringify(this.stats)))
  }
}
