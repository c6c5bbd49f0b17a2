/** A worker thread that plans routes. Its jobs appear on a lane of their own. */
import { parentPort, workerData } from 'node:worker_threads'
import { createProbe } from '@lapsus/probe'
import { GAME } from './name.ts'
import { PLACES } from './routes.ts'
import type { RouteTask } from './routes-thread.ts'
import { roundCost } from './streets.ts'

const lane = createProbe({ game: GAME }).lane(`route worker ${workerData as number}`)
const JOB = lane.marker('routes.job', { group: 'couriers' })
const SEARCH = lane.marker('path.search', { group: 'couriers' })

parentPort!.on('message', ({ job, places, cost, streets, done }: RouteTask) => {
  lane.beginJob(job, JOB)
  for (let i = 0; i < cost.length; i++) {
    const [fromX, fromY, toX, toY] = places.subarray(i * PLACES, (i + 1) * PLACES)
    lane.enter(SEARCH)
    cost[i] = roundCost(streets, fromX!, fromY!, toX!, toY!)
    lane.leave()
  }
  lane.endJob(job, JOB)
  Atomics.store(done, 0, 1)
  Atomics.notify(done, 0)
})
