/** `probe.picture`: at most two a second, small, the recorder's own, and never the game's trouble. */
import { expect } from 'chai'
import { LIMITS } from '@lapsus/core/format'
import { png } from '../../core/test/support/pictures.ts'
import type { PictureDrawer } from '../src/draw-picture.ts'
import type { Probe } from '../src/probe.ts'
import { makeProbe, MemorySink, readBack } from './support.ts'

const rest = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

describe('pictures of the screen', () => {
  let sink: MemorySink
  let drawn: { source: unknown; width: number; keep: (bytes: Uint8Array | null) => void }[]
  const draw: PictureDrawer = (source, width, keep) => void drawn.push({ source, width, keep })
  beforeEach(() => {
    sink = new MemorySink()
    drawn = []
  })
  const ended = (probe: Probe) => {
    probe.finish()
    const { chunks, end, declares } = readBack(sink.records)
    const problems = [...chunks.flatMap((chunk) => chunk.problems), ...(end?.problems ?? [])]
    return { chunks, declares, problems, pictures: chunks.flatMap((chunk) => chunk.pictures) }
  }

  it('are taken at most twice a second, in a run of the recorder’s own', async () => {
    const probe = makeProbe(sink, { draw })
    const begunMs = performance.now()
    let asked = 0
    while (performance.now() - begunMs < 1_150) {
      probe.frame()
      probe.picture('canvas')
      asked++
      await rest(5)
    }
    // On a busy machine the last frames come late.
    const most = 1 + Math.floor((performance.now() - begunMs) / 500)
    expect(asked).to.be.greaterThan(most)
    expect(drawn.length).to.be.within(2, most)
    for (const { source, width } of drawn)
      expect([source, width]).to.deep.equal(['canvas', LIMITS.pictureWidth])
    const { declares, chunks } = ended(probe)
    const marker = declares.flatMap(({ markers }) => markers).find(({ name }) => name === 'recorder.picture')!
    expect(marker.group).to.equal('recorder')
    const runs = chunks.flatMap(({ lanes }) => [...lanes[0]!.marker]).filter((one) => one === marker.id)
    expect(runs).to.have.length(drawn.length)
  })

  it('are in the take with the time at which they were asked for, however late they come', async () => {
    const probe = makeProbe(sink, { draw })
    probe.frame()
    probe.picture({})
    await rest(30)
    probe.frame()
    drawn[0]!.keep(png(320, 180))
    probe.frame()
    const { pictures, chunks } = ended(probe)
    expect(pictures.map(({ bytes }) => bytes)).to.deep.equal([png(320, 180)])
    expect(pictures[0]!.atNs).to.be.below(chunks[0]!.frameStartNs[1]!)
    // Nobody keeps what comes after the end.
    drawn[0]!.keep(png(1, 1))
  })

  it('may be given as bytes, which are the game’s to change afterwards', () => {
    const probe = makeProbe(sink)
    const bytes = png(64, 36)
    probe.frame()
    probe.picture(bytes)
    bytes.fill(0)
    expect(ended(probe).pictures.map((picture) => picture.bytes)).to.deep.equal([png(64, 36)])
  })

  it('that are none, or too large, are counted and left out', async () => {
    for (const [source, drawer] of [
      [new Uint8Array(9), undefined],
      [png(LIMITS.pictureWidth + 1, 1), undefined],
      [png(1, 1, LIMITS.pictureBytes), undefined],
      ['canvas', (_source, _width, keep) => keep(null)],
      [
        null,
        () => {
          throw new Error('of the page')
        },
      ],
    ] as [unknown, PictureDrawer | undefined][]) {
      sink = new MemorySink()
      const probe = makeProbe(sink, drawer === undefined ? {} : { draw: drawer })
      probe.frame()
      probe.picture(source)
      const { pictures, problems } = ended(probe)
      expect(pictures).to.deep.equal([])
      expect(problems).to.deep.equal([
        { what: 'pictures could not be made, or were too large', about: '', count: 1 },
      ])
    }
    await rest(0)
  })

  it('cost nothing where nothing is recorded', () => {
    const probe = makeProbe(null, { draw })
    probe.frame()
    probe.picture('canvas')
    const before = makeProbe(sink, { draw })
    before.picture('canvas')
    expect(drawn).to.deep.equal([])
  })
})
