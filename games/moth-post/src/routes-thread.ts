import { Worker } from 'node:worker_threads'
import { PLACES, type RoutePlanner } from './routes.ts'

/** One part of a batch, for one worker; everything in memory that both threads see. */
export interface RouteTask {
  job: number
  places: Float32Array
  cost: Float32Array
  streets: Float32Array
  /** 1 once it is done. */
  done: Int32Array
}

const WORKERS = 2

const shared = (length: number) => new Float32Array(new SharedArrayBuffer(length * 4))

/** Plans on worker threads: dispatched in the frame of the gate, joined when the news is due. */
export function routesOnWorkers(script: URL): RoutePlanner {
  const workers = Array.from({ length: WORKERS }, (_, i) => new Worker(script, { workerData: i + 1 }))
  for (const worker of workers) worker.unref()
  let tasks: RouteTask[] = []
  return {
    begin({ probe, markers, town }, batch) {
      const streets = shared(town.streets.length)
      streets.set(town.streets)
      const each = Math.ceil(batch.moths.length / WORKERS)
      tasks = workers.map((worker, i) => {
        const from = Math.min(batch.moths.length, i * each)
        const to = Math.min(batch.moths.length, from + each)
        const places = shared((to - from) * PLACES)
        places.set(batch.places.subarray(from * PLACES, to * PLACES))
        const task: RouteTask = {
          job: probe.dispatch(markers['routes.job']),
          places,
          cost: shared(to - from),
          streets,
          done: new Int32Array(new SharedArrayBuffer(4)),
        }
        worker.postMessage(task)
        return task
      })
    },
    go: () => {},
    join({ probe, markers }, batch) {
      let at = 0
      for (const { job, cost, done } of tasks) {
        probe.enter(markers['routes.join'], job)
        while (Atomics.load(done, 0) === 0) Atomics.wait(done, 0, 0)
        probe.leave()
        batch.cost.set(cost, at)
        at += cost.length
      }
      tasks = []
    },
    stop: () => void Promise.all(workers.map((worker) => worker.terminate())),
  }
}
