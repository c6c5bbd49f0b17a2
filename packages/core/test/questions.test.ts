/** Questions: each answered, sent and read back; and refused by the field that is wrong, whichever it is. */
import { expect } from 'chai'
import fc from 'fast-check'
import { decodeCbor, encodeCbor, type ChunkRecord, type DeclareRecord } from '@lapsus/core/format'
import {
  answer,
  answerOfTakes,
  readAnswer,
  readShape,
  travelsAsCbor,
  wholeShape,
  WrongAsk,
  written,
  type Field,
  type Question,
  type Shape,
} from '@lapsus/core/questions'
import { QUESTION_LIST, TAKES_QUESTION_LIST } from '@lapsus/core/questions/all'
import { COMPARISON } from '@lapsus/core/questions/comparison'
import { COURSE } from '@lapsus/core/questions/course'
import { DIAGNOSIS } from '@lapsus/core/questions/diagnosis'
import { FORECAST } from '@lapsus/core/questions/forecast'
import { columnsWith, LEDGER, LEDGER_COLUMNS, type LedgerEntry } from '@lapsus/core/questions/ledger'
import { MEMORY } from '@lapsus/core/questions/memory'
import { PAGE } from '@lapsus/core/questions/page'
import { SCALING } from '@lapsus/core/questions/scaling'
import { planFromJson } from '@lapsus/core/remedy'
import { LEDGER_KEYS } from '@lapsus/core/rollup'
import { partOfStudy } from '@lapsus/core/study'
import { versionOf } from '../src/questions/diagnosis/version.ts'
import { richTake } from './support/rich-take.ts'
import { run, runs, studyFrom, type Run } from './support/studies.ts'
import { arbitraryFrames, chunkRecord, declareRecord } from './support/takes.ts'
import { sourceOf, sourceOfStudy } from './support/source.ts'

const QUESTIONS = QUESTION_LIST as readonly unknown[] as readonly Question[]
const [, declared, chunk] = richTake() as [unknown, DeclareRecord, ChunkRecord]
const PLAN = 'spring'
/** With one plan, of two items of which one makes no sense. */
const source = () => ({
  ...sourceOf(declared, [chunk]),
  plan: async (name: string) =>
    name === PLAN
      ? planFromJson({
          ...{ format: 'lapsus-plan', version: 1, name: 'Spring cleaning' },
          items: [
            { remedy: 'dance' },
            { remedy: 'drop', path: ['gone'] },
            { remedy: 'by-hand', path: ['sim'], parameters: { factor: 0.5 } },
          ],
        })
      : null,
})
/** What each question must be asked; most ask nothing that is needed. */
const ASKED: Record<string, Record<string, unknown>> = {
  course: { paths: '0' },
  page: { frame: 1 },
  forecast: { plan: PLAN },
}
const askedOf = ({ name }: Question) => (ASKED[name] ?? {}) as never

/** As it comes over the wire. */
const sent = (question: Question, told: object): unknown => {
  const wire = written(question, told)
  return wire instanceof Uint8Array ? wire : (JSON.parse(JSON.stringify(wire)) as unknown)
}

describe('every question', () => {
  for (const question of QUESTIONS) {
    describe(question.name, () => {
      it('has a folder of its name, an address, and a meaning for what it tells', () => {
        expect(question.about).to.match(/^[A-Z].*\.$/)
        expect(question.at.split('/')[0]).to.match(/^[a-z-]+$/)
        expect(question.version).to.be.greaterThan(0)
        for (const name of question.at.match(/:\w+/g) ?? [])
          expect(question.asks).to.have.property(name.slice(1))
      })

      it('is answered with its version, and read back as it was told', async () => {
        const told = await answer(question, source(), askedOf(question))
        expect(told.version).to.equal(question.version)
        expect(readAnswer(question, sent(question, told))).to.deep.equal(
          readAnswer(question, sent(question, readAnswer(question, sent(question, told)))),
        )
        const known = wholeShape(question)
        expect(Object.keys(told).filter((name) => !(name in known))).to.deep.equal([])
      })

      it('is refused by the field that is wrong, whichever it is', async () => {
        const told = await answer(question, source(), askedOf(question))
        const whole = travelsAsCbor(question)
          ? (decodeCbor(sent(question, told) as Uint8Array) as Record<string, unknown>)
          : (sent(question, told) as Record<string, unknown>)
        let broken = 0
        for (const { change, name } of breakages(wholeShape(question), whole)) {
          const again = travelsAsCbor(question) ? encodeCbor(change) : change
          expect(() => readAnswer(question, again), name).to.throw(`"${name}"`)
          broken++
        }
        expect(broken).to.be.greaterThan(3)
      })
    })
  }
})

describe('questions about a busy take', () => {
  const MS = 1e6
  const busy = sourceOfStudy(
    studyFrom(
      Array.from({ length: 240 }, (_, i) => ({
        runs: [run('sim', 4 * MS), ...(i % 60 === 30 ? runs(20, 'burst', MS) : [])],
        moments: i % 60 === 30 ? ['gate'] : [],
      })),
    ),
  )

  it('have findings, spikes and families, each field of which is checked', async () => {
    const told = await answer(DIAGNOSIS, busy, {})
    expect(told.findings.map(({ kind }) => kind)).to.include('spike-family')
    expect(told.spikes).to.have.length(4)
    expect(told.families).to.have.length(1)
    const whole = sent(DIAGNOSIS as unknown as Question, told) as Record<string, unknown>
    expect(readAnswer(DIAGNOSIS, whole)).to.deep.equal(whole)
    const names = new Set<string>()
    for (const { change, name } of breakages(wholeShape(DIAGNOSIS), whole)) {
      expect(() => readAnswer(DIAGNOSIS, change), name).to.throw(`"${name}"`)
      names.add(name)
    }
    expect([...names]).to.include.members(['kind', 'view', 'costMsPerFrame', 'why', 'usualCalls', 'lift'])
  })
})

describe('every question about takes on two sides', () => {
  const MS = 1e6
  // Twice as much to look for, which takes longer by its law; and a path that is new.
  const night = (factor: number, more: Run[] = []) =>
    studyFrom(
      Array.from({ length: 240 }, (_, i) => ({
        gauges: { letters: factor * (20 + (i % 40)) },
        runs: [run('sim', factor * (2 + (i % 40) / 10) * MS), run('draw', 2 * MS), ...more],
      })),
    )
  const [one, other] = [night(1), night(2, [run('moss', MS)])]

  for (const question of TAKES_QUESTION_LIST) {
    it(`${question.name} has a meaning for all that it tells, and checks each field`, () => {
      expect(question.about).to.match(/^[A-Z].*\.$/)
      const told = answerOfTakes(question, [one], [other])
      expect(told.version).to.equal(question.version)
      const whole = JSON.parse(JSON.stringify(told)) as Record<string, unknown>
      const shape = wholeShape(question)
      // Nothing of it is lost, and nothing is told that the table does not name.
      expect(JSON.parse(JSON.stringify(readShape(shape, whole)))).to.deep.equal(whole)
      const names = new Set<string>()
      for (const { change, name } of breakages(shape, whole)) {
        expect(() => readShape(shape, change as Record<string, unknown>), name).to.throw(`"${name}"`)
        names.add(name)
      }
      expect([...names]).to.include.members([
        'law',
        'movedFrom',
        'secondsMore',
        'needlessPerFrame',
        'telling',
      ])
    })
  }

  it('tells of the loads that differ', () => {
    expect(answerOfTakes(COMPARISON, [one], [other]).loads.map(({ name }) => name)).to.deep.equal(['letters'])
  })
})

/** The answer with one field at a time made into what it never is: of lists only in their first item. */
function* breakages(
  shape: Shape,
  whole: Record<string, unknown>,
): Generator<{ change: object; name: string }> {
  for (const [name, field] of Object.entries(shape)) {
    const value = whole[name]
    yield { change: { ...whole, [name]: wrongFor(field) }, name }
    if (field.inner === null || value === null || value === undefined) continue
    const items = Array.isArray(value) ? (value as Record<string, unknown>[]) : null
    const first = items === null ? (value as Record<string, unknown>) : items[0]
    if (first === undefined) continue
    for (const inner of breakages(field.inner, first)) {
      const changed = items === null ? inner.change : [inner.change, ...items.slice(1)]
      yield { change: { ...whole, [name]: changed }, name: inner.name }
    }
  }
}

const wrongFor = ({ type }: Field): unknown => (type.startsWith('text') ? 7 : 'no such thing')

describe('the ledger', () => {
  const frames = fc.tuple(arbitraryFrames(4, 10), arbitraryFrames(4, 10))
  const markers = Array.from({ length: 4 }, (_, i) => ({ name: `m${i}`, group: `g${i % 2}` }))

  it('is the same from stored sums and from courses, percentiles included', async () => {
    await fc.assert(
      fc.asyncProperty(frames, fc.constantFrom(...LEDGER_KEYS), async ([one, other], by) => {
        const first = chunkRecord(2, one)
        const startNs = 1e9
        const records: ChunkRecord[] = [first, chunkRecord(3, other, startNs)]
        const of = (stored: boolean) =>
          answer(LEDGER, sourceOf(declareRecord(1, markers, ['main', 'worker 1']), records, { stored }), {
            by,
          })
        expect(await of(false)).to.deep.equal(await of(true))
      }),
      { numRuns: 60 },
    )
  })

  it('has columns that are sorted by what they show, and say nothing where there is nothing', () => {
    const entry: LedgerEntry = {
      ...{ key: 0, calls: 8, frames: 2, selfMs: 4, totalMs: 6, selfP99Ms: 2, worstSelfMs: 3, worstFrame: 1 },
      ...{ said: 0, needless: 0, needlessNs: 0, repeated: 0, repeatedNs: 0, bytes: 0, unknownBytes: 0 },
    }
    const of = (id: string) => LEDGER_COLUMNS.find((column) => column.id === id)!
    const words = (id: string, row: LedgerEntry) => {
      const { words } = of(id)
      return words === 'time' ? words : words(row, { frames: 4 })
    }
    expect(words('calls', entry)).to.equal('2.00')
    expect(words('self', entry)).to.equal('time')
    expect(of('needless').has!(entry)).to.equal(false)
    const said = { ...entry, said: 4, needless: 1, needlessNs: 5 }
    expect(of('needless').has!(said)).to.equal(true)
    expect(words('needless', said)).to.equal('25.0 %')
    expect(of('needless').value(said)).to.equal(5)
    expect(words('bytes', { ...entry, bytes: 4_000 })).to.equal('1.00 kB')
    expect(words('repeated', { ...entry, repeated: 96 })).to.equal('24.0')
    expect(words('needless', { ...entry, said: 8 })).to.equal('0 %')
    for (const id of ['bytes', 'needless', 'repeated']) expect(words(id, entry)).to.equal('')
    expect(new Set(LEDGER_COLUMNS.map(({ id }) => id)).size).to.equal(LEDGER_COLUMNS.length)
    const details = (...rows: LedgerEntry[]) =>
      columnsWith(rows).flatMap(({ id, has }) => (has === undefined ? [] : [id]))
    expect(details()).to.deep.equal([])
    expect(details(entry, { ...entry, said: 5 })).to.deep.equal([])
    expect(details({ ...entry, bytes: 9 }, { ...entry, repeated: 1 })).to.deep.equal(['bytes', 'repeated'])
    expect(details(said)).to.deep.equal(['needless'])
  })
})

describe('what a cost grows with', () => {
  /** Both grow all the time; what the cost has is what lies about. */
  const grown = studyFrom(
    Array.from({ length: 400 }, (_, frame) => ({
      runs: [run('sim', 1e6 + 1e4 * Math.round(frame / 3))],
      gauges: { moths: Math.round(frame / 4), litter: Math.round(frame / 3) },
    })),
  )
  const chosenOf = async (data: Record<string, number> | null) => {
    const moments = [{ name: 'ramp', frame: 0, atNs: 0, data }]
    const { loads, chosen } = await answer(SCALING, sourceOfStudy({ ...grown, moments }), {})
    return chosen.map((id) => loads.find((load) => load.id === id)!.name)
  }

  it('is what explains most, of what a ramp says that it turns', async () => {
    expect(await chosenOf(null)).to.deep.equal(['litter'])
    expect(await chosenOf({ moths: 100 })).to.deep.equal(['moths'])
    expect(await chosenOf({ moths: 100, litter: 1 })).to.deep.equal(['litter'])
    expect(await chosenOf({ seconds: 30 })).to.deep.equal(['litter'])
    expect(await chosenOf({ toString: 30 })).to.deep.equal(['litter'])
  })
})

describe('what a take does not have', () => {
  const wrong = async (asked: Promise<unknown>): Promise<WrongAsk> => {
    const failure = await asked.catch((error: unknown) => error)
    expect(failure).to.be.instanceOf(WrongAsk)
    return failure as WrongAsk
  }

  it('is said by name, with what there is', async () => {
    expect(await wrong(answer(PAGE, source(), { frame: 999 }))).to.include({
      field: 'frame',
      isMissing: true,
    })
    expect((await wrong(answer(COURSE, source(), { paths: '0,9999' }))).message).to.match(
      /path 9999.*has \d+/,
    )
    expect(await wrong(answer(SCALING, source(), { path: 9999 }))).to.include({
      field: 'path',
      isMissing: false,
    })
    expect((await wrong(answer(SCALING, source(), { loads: 'gauge 77' }))).message).to.contain('there are:')
  })
})

describe('the forecast of a plan', () => {
  it('numbers items as they were written, and works out what makes sense', async () => {
    const told = await answer(FORECAST, source(), { plan: PLAN })
    expect(told.items.map(({ number, refusal }) => [number, refusal])).to.deep.equal([
      [2, 'the take has no path gone'],
      [3, null],
    ])
    expect(told.problems.map((words) => words.slice(0, 18))).to.deep.equal([
      'item 1 is left out',
      'item 2: the take h',
    ])
    // Half of 3 ms in each of the two frames, with all inside.
    expect(told.items[1]!.gainMsPerFrame).to.be.closeTo(1.5, 1e-6)
    expect(told.before.meanMs - told.after.meanMs).to.be.closeTo(1.5, 1e-6)
  })

  it('is of the chosen frames, and refused where there is no such plan', async () => {
    const whole = source()
    const part = { ...whole, study: async () => partOfStudy(await whole.study(), 1, 2) }
    const told = await answer(FORECAST, part, { plan: PLAN })
    expect(told.before.frames.frames).to.equal(1)
    expect(told.items[1]!.gainMsPerFrame).to.be.closeTo(1.5, 1e-6)
    const failure = await answer(FORECAST, whole, { plan: 'winter' }).catch((error: unknown) => error)
    expect(failure).to.be.instanceOf(WrongAsk).and.to.include({ field: 'plan', isMissing: true })
  })
})

describe('columns of an answer', () => {
  it('must be as long as each other', async () => {
    const memory = await answer(MEMORY, source(), {})
    expect(() => readAnswer(MEMORY, encodeCbor({ ...memory, heap: Float64Array.of(1) }))).to.throw('"heap"')
    const page = await answer(PAGE, source(), { frame: 0 })
    expect(() => readAnswer(PAGE, encodeCbor({ ...page, spanStartNs: Float64Array.of(1) }))).to.throw(
      '"spanStartNs"',
    )
    expect(() => readAnswer(PAGE, encodeCbor({ ...page, effect: Uint8Array.of(1) }))).to.throw('"details"')
    const course = await answer(COURSE, source(), { paths: '0' })
    expect(() => readAnswer(COURSE, encodeCbor({ ...course, totalNs: Float64Array.of(1) }))).to.throw(
      '"totalNs"',
    )
    expect(() => readAnswer(PAGE, Uint8Array.of(0xff))).to.throw('well-formed CBOR')
  })

  it('are of one type, whatever width they travelled in', async () => {
    const page = await answer(PAGE, source(), { frame: 0 })
    const read = readAnswer(PAGE, encodeCbor({ ...page, path: Uint8Array.from(page.path) }))
    expect(read.path).to.deep.equal(page.path)
  })
})

describe('the version of a diagnosis', () => {
  it('changes with every figure that rules are made of', () => {
    expect(versionOf(1, { kinds: { a: { LEAST: 0.2 } } })).not.to.equal(
      versionOf(1, { kinds: { a: { LEAST: 0.3 } } }),
    )
    expect(versionOf(1, {})).not.to.equal(versionOf(2, {}))
    expect(DIAGNOSIS.version).to.be.within(0, 2 ** 31 - 1)
  })
})
