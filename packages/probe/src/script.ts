/** Everything that a page's plain script finds under the name `Lapsus`; in a worker's too. */
export * from './browser.ts'
export * from './overlay/index.ts'
export { createLane } from './worker.ts'
