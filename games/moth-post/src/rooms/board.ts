import type { Probe } from '@lapsus/probe'
import { TOWN } from '../town.ts'
import type { World } from '../world.ts'

/** Things that go into one draw batch. */
const BATCH = 48
const MOST = 4096

/** Scratch of the drawing, used again each frame. */
const shapes = new Float32Array(MOST)
const kinds = new Uint8Array(MOST)
const order = new Uint16Array(MOST)
/** Kind, depth and number of a shape as one number, so that sorting needs no comparing function. */
const keys = new Float64Array(MOST)
const DEPTHS = TOWN * 16

export const drawBoardMarkers = (probe: Probe) => ({
  'board.draw': probe.marker('board.draw', { group: 'board' }),
  'draw.collect': probe.marker('draw.collect', { group: 'board' }),
  'draw.cull': probe.marker('draw.cull', { group: 'board' }),
  'draw.sort': probe.marker('draw.sort', { group: 'board' }),
  'draw.batch': probe.marker('draw.batch', { group: 'board' }),
  'draw.submit': probe.marker('draw.submit', { group: 'board' }),
})

/** Gathers what is to be seen into batches, as a display would want it. */
export function drawBoard(world: World): void {
  const { probe, markers } = world
  probe.enter(markers['board.draw'])
  probe.enter(markers['draw.collect'])
  let count = 0
  const add = (kind: number, depth: number) => {
    if (count >= MOST) return
    kinds[count] = kind
    shapes[count++] = depth
  }
  for (const lantern of world.town.lanterns) add(0, lantern.y)
  for (const moth of world.moths) add(1, moth.y)
  for (const belt of world.belts) for (const letter of belt) add(2, letter.place)
  probe.leave()
  probe.enter(markers['draw.cull'])
  let seen = 0
  for (let i = 0; i < count; i++) if (shapes[i]! < TOWN * 0.95) order[seen++] = i
  probe.leave()
  probe.enter(markers['draw.sort'])
  for (let i = 0; i < seen; i++) {
    const shape = order[i]!
    keys[i] = (kinds[shape]! * DEPTHS + Math.floor(shapes[shape]! * 16)) * MOST + shape
  }
  keys.subarray(0, seen).sort()
  for (let i = 0; i < seen; i++) order[i] = keys[i]! % MOST
  probe.leave()
  world.batches = 0
  for (let at = 0; at < seen; at += BATCH) {
    probe.enter(markers['draw.batch'])
    let light = 0
    for (let i = at; i < Math.min(seen, at + BATCH); i++)
      light += Math.sqrt(shapes[order[i]!]!) * (1 + kinds[order[i]!]!)
    if (light > 0) world.batches++
    probe.leave()
  }
  probe.enter(markers['draw.submit'])
  probe.leave()
  probe.leave()
}
