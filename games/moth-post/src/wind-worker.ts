/** The worker thread that blows the wind. Its spans appear on a lane of their own. */
import { workerData } from 'node:worker_threads'
import { createProbe } from '@lapsus/probe'
import { GAME } from './name.ts'
import { blowOctave, FINISHED, HUNDREDTHS, JOB, octaves, REQUESTED, STOP, type SharedWind } from './wind.ts'

const { control, field } = workerData as SharedWind
const lane = createProbe({ game: GAME }).lane('wind worker')
const BLOW = lane.marker('wind.job', { group: 'weather' })
const OCTAVE = lane.marker('wind.octave', { group: 'weather' })

for (let seen = 0; ;) {
  Atomics.wait(control, REQUESTED, seen)
  seen = Atomics.load(control, REQUESTED)
  if (seen === STOP) break
  const job = control[JOB]!
  lane.beginJob(job, BLOW)
  field.fill(0)
  for (const octave of octaves) {
    lane.enter(OCTAVE)
    blowOctave(field, octave, seen / HUNDREDTHS)
    lane.leave()
  }
  lane.endJob(job, BLOW)
  Atomics.store(control, FINISHED, seen)
  Atomics.notify(control, FINISHED)
}
lane.close()
