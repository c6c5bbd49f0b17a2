/** A pond at night: a small game that knows nothing of markers. Seconds and a seed may be given. */
import { Frog } from './pond/frog.mjs'
import { Fly } from './pond/fly.mjs'
import { Water } from './pond/water.mjs'
import { randomFrom } from './pond/random.mjs'
import { writeScore } from './score.mjs'

const [seconds = 4, seed = 1] = process.argv.slice(2).map(Number)
const FRAME_MS = 1000 / 60

const random = randomFrom(seed)
const flies = Array.from({ length: 260 }, () => new Fly(random))
const frogs = Array.from({ length: 90 }, () => new Frog(random))
const water = new Water(96)

function tick(frame) {
  for (const fly of flies) fly.update()
  for (const frog of frogs) {
    frog.update(flies)
    if (frog.leaps(frame)) water.splash(frog.x, frog.y)
  }
  water.spread()
  writeScore(frogs)
}

let frame = 0
let dueMs = performance.now()
function turn() {
  tick(frame++)
  if (frame >= seconds * 60)
    return console.log(`${frogs.reduce((sum, { caught }) => sum + caught, 0)} flies caught`)
  dueMs = Math.max(dueMs + FRAME_MS, performance.now())
  setTimeout(turn, dueMs - performance.now())
}
turn()
