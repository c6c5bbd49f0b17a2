/** Studies of stored takes, and of takes that are still being recorded. */
import { expect } from 'chai'
import type { FollowingRecord, TakeRecord } from '@lapsus/core/format'
import { frameCount, type Study } from '@lapsus/core/study'
import { NIGHT_FRAMES, nightRecords } from '../../core/test/support/night.ts'
import type { RunningServer } from '../src/index.ts'
import { TakeWriter } from '../src/ingest/take-writer.ts'
import { wholeTake } from '../src/serve/answers/diagnoses.ts'
import { Studies } from '../src/serve/answers/studies.ts'
import { testServer } from './support.ts'

describe('a study', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const rowOf = async (take: string) => (await server.store.takes.findByPk(take))!.get()

  /** A night that is being recorded: each call of what it gives stores so many records more, null for the rest. */
  async function nightBeingRecorded(take: string): Promise<(count: number | null) => Promise<void>> {
    const [first, ...following] = nightRecords(take)
    const writer = await TakeWriter.open(server.store, first as TakeRecord)
    return async (count) => {
      for (const record of following.splice(0, count ?? following.length))
        await writer.write(record as FollowingRecord)
      await writer.settled()
      if (following.length === 0)
        await server.store.takes.update({ state: 'complete' }, { where: { id: take } })
    }
  }

  /** What is asked of the database for chunks meanwhile: the number of the first of them. */
  async function firstsAsked(work: () => Promise<unknown>): Promise<number[]> {
    const { options } = server.store.database as unknown as { options: { logging: unknown } }
    const firsts: number[] = []
    options.logging = (sql: string) => {
      const found = / FROM `chunks` .*`idx` >= (\d+)/.exec(sql)
      if (found !== null) firsts.push(Number(found[1]))
    }
    await work()
    options.logging = false
    return firsts
  }

  const inOneGo = async (take: string): Promise<Study> => new Studies(server.store).study(await rowOf(take))

  it('is read as the take grows, each chunk once, and comes to the same', async () => {
    const goOn = await nightBeingRecorded('grows')
    const studies = new Studies(server.store)
    await goOn(3)
    const asked = await firstsAsked(async () => {
      await studies.readAhead(await rowOf('grows'))
      await goOn(2)
      await studies.readAhead(await rowOf('grows'))
      await studies.readAhead(await rowOf('grows'))
      await goOn(null)
      await studies.study(await rowOf('grows'))
    })
    // The first of the records declares.
    expect(asked).to.deep.equal([0, 2, 4, 4])
    const study = await studies.study(await rowOf('grows'))
    expect(frameCount(study)).to.equal(NIGHT_FRAMES)
    expect(study).to.deep.equal(await inOneGo('grows'))
  })

  it('of a take that grows is of the frames there were, and stays so', async () => {
    const goOn = await nightBeingRecorded('asked-midway')
    const studies = new Studies(server.store)
    await goOn(4)
    const midway = await studies.study(await rowOf('asked-midway'))
    const asInOneGo = await inOneGo('asked-midway')
    expect(frameCount(midway)).to.equal(150)
    expect(midway).to.deep.equal(asInOneGo)
    await goOn(null)
    expect(frameCount(await studies.study(await rowOf('asked-midway')))).to.equal(NIGHT_FRAMES)
    expect(midway).to.deep.equal(asInOneGo)
    for (const { frame } of midway.moments) expect(frame).to.be.below(150)
  })

  it('is read from the beginning when its take has ended, and is let go', async () => {
    const goOn = await nightBeingRecorded('let-go')
    const studies = new Studies(server.store)
    await goOn(null)
    const row = await rowOf('let-go')
    // Another number of chunks is another study.
    const asked = await firstsAsked(async () => {
      await studies.readAhead(row)
      await studies.study(row)
      await studies.study({ ...row, chunks: row.chunks + 1 })
    })
    expect(asked).to.deep.equal([0, 0])
  })

  it('of a take that has grown too large is read only when it is asked for', async () => {
    const goOn = await nightBeingRecorded('large')
    await goOn(3)
    const row = await rowOf('large')
    const { courses } = await new Studies(server.store).study(row)
    const cells = [...courses.values()].reduce((sum, { frame }) => sum + frame.length, 0)
    const readTwice = (most: number) =>
      firstsAsked(async () => {
        const studies = new Studies(server.store, most)
        await studies.readAhead(row)
        await studies.readAhead(row)
        await studies.study(row)
      })
    expect(await readTwice(cells)).to.deep.equal([0, 2, 2])
    expect(await readTwice(cells - 1)).to.deep.equal([0, 0])
  })

  it('is read from the beginning after it could not be read', async () => {
    const goOn = await nightBeingRecorded('not-readable')
    await goOn(3)
    const { store } = server
    const studies = new Studies(store)
    const row = await rowOf('not-readable')
    await studies.readAhead(row)
    await goOn(2)
    const where = { takeId: 'not-readable', idx: 3 }
    const { courses } = (await store.chunks.findOne({ where, raw: true }))!
    await store.chunks.update({ courses: Buffer.from('torn') }, { where })
    const failed = await studies.readAhead(row).catch((error: Error) => error)
    expect(failed).to.be.instanceOf(Error)
    await store.chunks.update({ courses }, { where })
    await goOn(null)
    const ended = await rowOf('not-readable')
    expect(await firstsAsked(() => studies.study(ended))).to.deep.equal([0])
    expect(await studies.study(ended)).to.deep.equal(await inOneGo('not-readable'))
  })

  it('of few frames reads their chunks only', async () => {
    const goOn = await nightBeingRecorded('few-of-them')
    await goOn(null)
    const row = await rowOf('few-of-them')
    const part = await new Studies(server.store).part(row, {
      ...wholeTake(row),
      range: { from: 120, to: 160 },
    })
    const whole = await new Studies(server.store).part(row, wholeTake(row))
    expect(part.firstFrame).to.equal(120)
    expect([...part.frames.workNs]).to.deep.equal([...whole.frames.workNs.subarray(120, 161)])
  })
})
