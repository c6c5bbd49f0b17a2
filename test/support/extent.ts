/** How much a suite tries: `npm run test:long` and `npm run test:faults` ask for everything. */

/** Everything, or the short form that belongs to every run of the tests. */
export const isLong = process.env['TESTS'] === 'long'
