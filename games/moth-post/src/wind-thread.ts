import { Worker } from 'node:worker_threads'
import { FINISHED, HUNDREDTHS, JOB, newSharedWind, REQUESTED, STOP, type WindSource } from './wind.ts'

/** @param script the built wind worker */
export function windOnWorker(script: URL): WindSource {
  const shared = newSharedWind()
  const worker = new Worker(script, { workerData: shared })
  let asked = 0
  return {
    start(hour, job) {
      shared.control[JOB] = job
      asked = Math.max(1, Math.round(hour * HUNDREDTHS))
      Atomics.store(shared.control, REQUESTED, asked)
      Atomics.notify(shared.control, REQUESTED)
    },
    join() {
      for (;;) {
        const finished = Atomics.load(shared.control, FINISHED)
        if (finished === asked) return shared.field
        Atomics.wait(shared.control, FINISHED, finished)
      }
    },
    stop() {
      Atomics.store(shared.control, REQUESTED, STOP)
      Atomics.notify(shared.control, REQUESTED)
      worker.unref()
    },
  }
}
