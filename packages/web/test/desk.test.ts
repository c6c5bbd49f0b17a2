/** The desk that forecasts are worked out at, without a worker around it. */
import { expect } from 'chai'
import { deflateRawSync } from 'node:zlib'
import type { TakeDetail } from '@lapsus/api'
import { packCourseDetails, packCourses, coursesOf } from '@lapsus/core/rollup'
import { emptyPlan, newItem, type Plan } from '@lapsus/core/remedy'
import { encodeStoredChunk } from '@lapsus/core/study'
import { Digester, encodeFrames, encodeSamples, samplesOf } from '@lapsus/core/take'
import type { ChunkRecord, DeclareRecord } from '@lapsus/core/format'
import { NIGHT_FRAMES as FRAMES, nightRecords } from '../../core/test/support/night.ts'
import { Desk } from '../src/plan/desk.ts'

/** A take as the server tells of it, and the bytes it sends for planning. */
function served(id: string): { detail: TakeDetail; bytes: Uint8Array } {
  const records = nightRecords(id)
  const digester = new Digester()
  digester.declare(records[1] as DeclareRecord)
  const parts = records
    .filter((record): record is ChunkRecord => record.record === 'chunk')
    .map((record) => {
      const chunk = digester.digest(record)
      const courses = coursesOf(chunk, digester.progress.paths)
      return encodeStoredChunk({
        frames: encodeFrames(chunk.frames),
        courses: deflateRawSync(packCourses(courses)),
        courseDetails: courses.details === null ? null : deflateRawSync(packCourseDetails(courses.details)),
        samples: encodeSamples(samplesOf(record)),
        beginsStretch: false,
        dropped: 0,
      })
    })
  const { declarations, paths } = digester.progress
  const detail = {
    ...{ id, frames: FRAMES, target: 60, conditions: { mode: 'timing' }, moments: [] },
    markers: [...declarations.markers.values()],
    lanes: [...declarations.lanes.values()],
    gauges: [...declarations.gauges.values()],
    watches: [...declarations.watches.values()],
    classes: [...declarations.classes.values()],
    paths: paths.all.map(({ parent, lane, marker }) => ({ parent, lane, marker })),
  }
  return { detail: detail as unknown as TakeDetail, bytes: new Uint8Array(Buffer.concat(parts)) }
}

describe('the desk', () => {
  const night = served('desk-night')
  const judged = { from: 0, to: FRAMES - 1, target: 60, withoutRecorder: false }
  const plan: Plan = {
    ...emptyPlan('quiet'),
    items: [newItem('sleep', ['sim', 'npc'], '', 'a'), newItem('drop', ['gone'], '', 'b')],
  }
  const asked: string[] = []
  const real = globalThis.fetch
  let answer: () => Response
  before(() => {
    globalThis.fetch = (async (url: string) => {
      asked.push(url)
      return answer()
    }) as typeof fetch
  })
  after(() => void (globalThis.fetch = real))
  beforeEach(() => {
    asked.length = 0
    answer = () => new Response(night.bytes as BodyInit)
  })
  const opened = async () => {
    const desk = new Desk()
    await desk.open(night.detail, judged, () => {})
    return desk
  }

  it('reads a take once, tells how far it is, and judges it as often as asked', async () => {
    const desk = new Desk()
    const shares: number[] = []
    await desk.open(night.detail, judged, (share) => shares.push(share))
    expect(shares.at(-1)).to.equal(1)
    expect([...shares].sort((a, b) => a - b)).to.deep.equal(shares)
    await desk.open(night.detail, judged, () => {})
    await desk.open(night.detail, { ...judged, target: 30 }, () => {})
    expect(asked).to.deep.equal(['/api/takes/desk-night/study'])
    expect(desk.forecast(plan, {}).forecast.before.frames.budgetMs).to.be.closeTo(1000 / 30, 1e-9)
  })

  it('forecasts a plan, with groups, frames that stay over, and single frames', async () => {
    const desk = await opened()
    const { forecast, groupsBefore, groupsAfter, over } = desk.forecast(plan, { board: 0.25 })
    expect(forecast.items.map(({ refusal }) => refusal)).to.deep.equal([null, 'the take has no path gone'])
    expect(forecast.items[0]!.gainMsPerFrame).to.be.closeTo(0.75, 0.01)
    expect(groupsBefore.find(({ group }) => group === 'board')).to.include({ budgetMs: 0.25, over: FRAMES })
    const own = (groups: typeof groupsAfter) => groups.find(({ group }) => group === '')!.meanMs
    expect(own(groupsBefore) - own(groupsAfter)).to.be.closeTo(0.75, 0.01)
    expect(over.length).to.equal(forecast.after.frames.over)
    const frame = desk.frame(61)!
    const total = frame.selfNs.reduce((sum, ns) => sum + ns, 0)
    expect(total).to.be.closeTo(forecast.frames.durationNs[61]!, 2)
  })

  it('forecasts the chosen frames alone, and names them as the take does', async () => {
    const desk = new Desk()
    await desk.open(night.detail, { ...judged, from: 40, to: 99 }, () => {})
    const { from, forecast, over } = desk.forecast(plan, {})
    expect([from, forecast.before.frames.frames, forecast.frames.workNs.length]).to.deep.equal([40, 60, 60])
    expect(over.length).to.be.greaterThan(0)
    for (const { frame } of over) expect(frame).to.be.within(40, 99)
    const whole = await opened()
    const all = whole.forecast(plan, {})
    expect(over.map(({ frame }) => frame)).to.deep.equal(
      all.over.map(({ frame }) => frame).filter((frame) => frame >= 40 && frame <= 99),
    )
    expect(desk.frame(61)!.durationNs).to.be.closeTo(whole.frame(61)!.durationNs, 1e-6)
    expect([desk.frame(39), desk.frame(100)]).to.deep.equal([null, null])
    const options = (of: Desk) =>
      of.options({ path: ['sim', 'npc'], subject: '', remedies: ['sleep'], frames: [61] })
    expect(options(desk)[0]!.gainMsWhereItStrikes).to.be.closeTo(
      options(whole)[0]!.gainMsWhereItStrikes,
      1e-6,
    )
  })

  it('answers what fits, what matters, and writes it down', async () => {
    const desk = await opened()
    const options = desk.options({
      path: ['sim', 'npc'],
      subject: '',
      remedies: ['sleep', 'hoist'],
      frames: [],
    })
    expect(options.map(({ remedy, refusal }) => [remedy, refusal === null])).to.deep.equal([
      ['sleep', true],
      ['hoist', false],
    ])
    expect(desk.weigh(plan).sensitivity.every(({ item }) => item === 'a')).to.equal(true)
    const text = desk.markdown(plan, { game: 'Game', take: 'night', target: 60 })
    expect(text).to.contain('## 1. sleep: sim \\> npc')
    expect(text).to.contain('No gain: the take has no path gone.')
  })

  it('proves a plan by other takes, with what is not alike', async () => {
    const desk = await opened()
    const alike = { detail: { ...night.detail, id: 'other' }, variant: null }
    const same = await desk.prove(plan, [alike], false)
    expect(same.told.differences).to.deep.equal([])
    expect(same.workNs).to.have.length(FRAMES)
    const mean = same.told.lines.find(({ id }) => id === 'mean')!
    expect(mean.even).to.be.closeTo(desk.figures(plan).before.meanMs, 1e-9)
    // Several count as one.
    expect((await desk.prove(plan, [alike, alike], false)).workNs).to.have.length(2 * FRAMES)
    const unlike = { detail: { ...night.detail, conditions: { mode: 'bytes' } }, variant: null }
    const other = await desk.prove(plan, [unlike], false)
    expect(other.told.differences).to.deep.equal(['recorder mode: “timing” before, “bytes” after'])
    const missing = desk.prove(plan, [{ ...alike, variant: 'seek=near' }], false)
    expect(await missing.catch((error: Error) => error.message)).to.equal(
      'The take has no variant “seek=near”.',
    )
  })

  it('opens the take that was asked for last, whichever is read first', async () => {
    const desk = new Desk()
    let letGo = () => {}
    const held = new Promise<void>((resolve) => (letGo = resolve))
    // The first answer comes after the second.
    answer = () => new Response(new ReadableStream({ pull: (stream) => held.then(() => stream.close()) }))
    const first = desk.open({ ...night.detail, id: 'slow' }, judged, () => {})
    answer = () => new Response(night.bytes as BodyInit)
    await desk.open(night.detail, judged, () => {})
    letGo()
    await first
    expect(desk.forecast(plan, {}).forecast.before.frames.frames).to.equal(FRAMES)
    await desk.open(night.detail, judged, () => {})
    expect(asked).to.deep.equal(['/api/takes/slow/study', '/api/takes/desk-night/study'])
  })

  it('says when a take cannot be read, and keeps nothing of it', async () => {
    const desk = new Desk()
    const failure = async () =>
      desk
        .open(night.detail, judged, () => {})
        .then(
          () => '',
          (error: Error) => error.message,
        )
    answer = () => new Response('no', { status: 404 })
    expect(await failure()).to.contain('the server answered 404')
    answer = () => new Response(night.bytes.subarray(0, night.bytes.length - 5) as BodyInit)
    expect(await failure()).to.contain('cut off')
    expect(() => desk.forecast(plan, {})).to.throw('no take is open')
    answer = () => new Response(night.bytes as BodyInit)
    expect(await failure()).to.equal('')
    expect(desk.forecast(plan, {}).forecast.items).to.have.length(2)
  })
})
