/** Takes of one run laid over one another: by hand, by property, and by what they are for. */
import { expect } from 'chai'
import { addedGauges, alignedFrames, CompositeWriter, type Layer, NotSameRun } from '@lapsus/core/composite'
import { loadSources } from '@lapsus/core/detect'
import {
  decodeRecord,
  encodeRecord,
  endRecord,
  JOB_BEGUN,
  JOB_ENDED,
  type AnyRecord,
} from '@lapsus/core/format'
import { coursesOf } from '@lapsus/core/rollup'
import { median, percentile } from '@lapsus/core/stats'
import { buildStudy, dense, frameCount, pathNames, type Study, type StudyChunk } from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import {
  normalFrom,
  randomFrom,
  recordsFrom,
  run,
  studyFrom,
  type TestFrame,
  type TestGame,
} from './support/studies.ts'
import { takeRecord } from './support/takes.ts'

const MS = 1e6

/** What the writer makes of takes of these frames, read as any take is. */
function composite(takes: TestFrame[][], game: TestGame = {}): { records: AnyRecord[]; study: Study } {
  const layers = takes.map((frames, i): Layer => ({ name: `night ${i + 1}`, study: studyFrom(frames, game) }))
  const writer = new CompositeWriter(layers)
  const own = [takeRecord(), ...recordsFrom(takes[0]!, game)]
  const records = [...own, endRecord(own.length)].flatMap((record) => writer.next(record, 'composite-1'))
  // Through bytes and back: the same checks as for any file.
  const read = records.map((record, i) => decodeRecord(encodeRecord(record), { record: i, offset: 0 }))
  const digester = new Digester()
  const chunks: StudyChunk[] = []
  for (const record of read) {
    if (record.record === 'declare') digester.declare(record)
    if (record.record !== 'chunk') continue
    const { stretch, ...chunk } = digester.digest(record)
    chunks.push({
      ...chunk,
      courses: coursesOf(chunk, digester.progress.paths),
      beginsStretch: stretch !== null,
    })
  }
  const take = read[0]!
  if (take.record !== 'take') throw new Error('the first record is the take’s own')
  return {
    records: read,
    study: buildStudy({ conditions: take.conditions, target: take.target, ...digester.progress }, chunks),
  }
}

/** Own time by frame of the path with this name, ns. */
function selfOf(study: Study, name: string): number[] {
  const found = [...study.courses.values()].find(({ path }) => pathNames(study, path).at(-1) === name)
  return [...dense(found, 'selfNs', frameCount(study))]
}

describe('a composite of takes of one run', () => {
  const night = (seekMs: number, restMs: number): TestFrame[] => [
    {
      runs: [run('sim', MS, { children: [run('seek', seekMs * MS), run('belt', MS)] }), run('draw', 2 * MS)],
      restNs: restMs * MS,
    },
  ]

  it('takes the median of every path and of the time outside, and keeps order and nesting', () => {
    const { study } = composite([night(1, 3), night(9, 1), night(4, 2)])
    expect(selfOf(study, 'seek')).to.deep.equal([4 * MS])
    expect(selfOf(study, 'sim')).to.deep.equal([MS])
    expect(selfOf(study, 'belt')).to.deep.equal([MS])
    expect([...study.frames.durationNs]).to.deep.equal([(1 + 4 + 1 + 2 + 2) * MS])
    // Two have no middle one: between them.
    expect(selfOf(composite([night(1, 3), night(9, 1)]).study, 'seek')).to.deep.equal([5 * MS])
  })

  it('says of each take what the machine added, frame by frame, and not as a load', () => {
    const { study, records } = composite([night(1, 3), night(9, 1), night(4, 2)])
    const gauges = addedGauges(study.conditions, study.declarations.gauges.values())
    expect(gauges.map(({ name }) => name)).to.deep.equal(['night 1', 'night 2', 'night 3'])
    // Work 8, 14 and 10 ms; the composite’s is 10.
    expect(gauges.map(({ gauge }) => [...study.gauges.get(gauge)!])).to.deep.equal([[-2], [4], [0]])
    expect(loadSources(study)).to.deep.equal([])
    expect(records[0]).to.deep.include({ take: 'composite-1' })
    expect(study.conditions.more).to.deep.equal({ 'composite of': 'night 1, night 2, night 3' })
    expect(addedGauges({}, study.declarations.gauges.values())).to.deep.equal([])
  })

  it('has the median in any tree of runs, on any lane', () => {
    const random = randomFrom(5)
    const shape = Array.from({ length: 120 }, () => ({
      seeks: 1 + Math.floor(3 * random()),
      worker: random() < 0.5,
    }))
    const ns = () => 1 + Math.floor(random() * 3 * MS)
    const take = (): TestFrame[] =>
      shape.map(({ seeks, worker }) => ({
        runs: [
          run('sim', ns(), {
            children: Array.from({ length: seeks }, () =>
              run('seek', ns(), { children: [run('look', ns())] }),
            ),
          }),
          run('wait', ns()),
        ],
        ...(worker ? { worker: [run('wind', ns(), { children: [run('gust', ns())] })] } : {}),
        restNs: ns(),
      }))
    const game: TestGame = { markers: { wait: { kind: 'wait:refresh' } }, chunkFrames: 50 }
    const takes = [take(), take(), take()]
    const studies = takes.map((frames) => studyFrom(frames, game))
    const { study } = composite(takes, game)
    for (const name of ['sim', 'seek', 'look', 'wait', 'wind', 'gust']) {
      const columns = studies.map((one) => selfOf(one, name))
      const made = selfOf(study, name)
      made.forEach((value, frame) => {
        // Every span's ends are rounded to whole ns.
        expect(value, `${name} ${frame}`).to.be.closeTo(median(columns.map((column) => column[frame]!)), 8)
      })
    }
    const { startNs, durationNs, workNs, waitNs } = study.frames
    startNs.forEach((start, i) => {
      if (i > 0) expect(start).to.be.at.least(startNs[i - 1]! + durationNs[i - 1]! - 1)
      expect(workNs[i]).to.be.closeTo(durationNs[i]! - waitNs.refresh[i]!, 1)
    })
  })

  it('moves moments and jobs along with the runs that they belong to', () => {
    const frames = (slow: number): TestFrame[] =>
      Array.from({ length: 4 }, (_, i) => ({
        runs: [run('sim', 2 * slow * MS)],
        worker: [run('wind', slow * MS)],
        ...(i === 2 ? { moments: ['bell'] } : {}),
      }))
    // Frames lie end to end; a job begins and ends with the worker's run in the third.
    const at = 3 * 2 * 3 * MS
    const { study } = composite([frames(3), frames(1), frames(1)], {
      jobs: {
        job: Uint32Array.of(1, 1),
        event: Uint8Array.of(JOB_BEGUN, JOB_ENDED),
        lane: Uint32Array.of(1, 1),
        marker: Uint32Array.of(1, 1),
        atNs: Float64Array.of(at, at + 3 * MS),
      },
    })
    expect(study.moments).to.have.length(1)
    expect(study.moments[0]).to.include({ name: 'bell', frame: 2 })
    expect([...study.frames.durationNs]).to.deep.equal([2, 2, 2, 2].map((ms) => ms * MS))
    const [job] = study.jobs
    expect(job!.ended!.atNs - job!.begun!.atNs).to.be.closeTo(MS, 1)
  })

  it('leaves collections as the first take has them, for each take has them elsewhere', () => {
    const game: TestGame = { markers: { collect: { kind: 'collect' } } }
    const frames = (at: number): TestFrame[] =>
      Array.from({ length: 6 }, (_, i) => ({
        runs: [run('sim', MS, i === at ? { children: [run('collect', 7 * MS)] } : {})],
      }))
    const { study } = composite([frames(1), frames(3), frames(4)], game)
    expect([...study.frames.collectNs]).to.deep.equal([0, 7 * MS, 0, 0, 0, 0])
    expect(selfOf(study, 'sim')).to.deep.equal(Array(6).fill(MS))
  })

  it('ends with the shortest take', () => {
    const frames = (count: number) =>
      Array.from({ length: count }, (): TestFrame => ({ runs: [run('sim', MS)] }))
    const { study, records } = composite([frames(130), frames(61), frames(90)])
    expect(frameCount(study)).to.equal(61)
    expect(records.at(-1)!.record).to.equal('end')
    const following = records.slice(1) as { sequence: number }[]
    expect(following.map(({ sequence }) => sequence)).to.deep.equal(following.map((_, i) => i + 1))
  })
})

describe('takes that cannot be laid over one another', () => {
  const letters = (count: number, from = Infinity, more = 0, share = 1): Study =>
    studyFrom(
      Array.from({ length: count }, (_, i): TestFrame => {
        const many = 5 + (i >= from && (i - from) % Math.round(1 / share) === 0 ? more : 0)
        return { runs: [run('sim', MS, { children: [run('look', MS)] })], gauges: { letters: many } }
      }),
    )
  const layer = (study: Study, name = 'B'): Layer => ({ name, study })
  const refused = (...layers: Layer[]) => {
    try {
      alignedFrames(layers)
    } catch (error) {
      expect(error).to.be.instanceOf(NotSameRun)
      return (error as Error).message
    }
    throw new Error('not refused')
  }

  it('are told with the frame from which they part, and by what', () => {
    expect(refused(layer(letters(1000), 'A'), layer(letters(1000, 812, 3)))).to.equal(
      'these are not the same run: from frame 812 on B has 3 more letters, and 19 % of the frames are unlike',
    )
    const runsMore = studyFrom(
      Array.from({ length: 200 }, (_, i): TestFrame => ({
        runs: [run('sim', MS, { children: i < 100 ? [run('look', MS)] : [] })],
        gauges: { letters: 5 },
      })),
    )
    expect(refused(layer(letters(200), 'A'), layer(runsMore))).to.contain(
      'from frame 100 on B has 1 run fewer of look',
    )
  })

  it('may differ in 5 of 100 frames, and no more', () => {
    expect(alignedFrames([layer(letters(1000)), layer(letters(1000, 950, 1))])).to.equal(1000)
    expect(refused(layer(letters(1000)), layer(letters(1000, 949, 1)))).to.contain('from frame 949 on')
  })

  it('may run more fixed steps in a frame that is late, each as long as in the others', () => {
    const stepped = (more: boolean): TestFrame[] =>
      Array.from({ length: 100 }, (_, i) => {
        const steps = more && i % 3 === 0 ? 2 : 1
        return { runs: Array.from({ length: steps }, () => run('step', (more ? 3 : 1) * MS)), steps }
      })
    const frames = stepped(true)
    expect(alignedFrames([layer(studyFrom(stepped(false)), 'A'), layer(studyFrom(frames))])).to.equal(100)
    // Steps are no excuse for other letters.
    const other = frames.map((frame) => ({ ...frame, gauges: { letters: 9 } }))
    const own = stepped(false).map((frame) => ({ ...frame, gauges: { letters: 5 } }))
    expect(refused(layer(studyFrom(own), 'A'), layer(studyFrom(other)))).to.contain('4 more letters')
    const { study } = composite([stepped(false), frames, frames])
    expect(selfOf(study, 'step')).to.deep.equal(Array(100).fill(3 * MS))
  })

  it('may be sent at other times: the recorder’s own work is not the game’s', () => {
    const sent = (every: number) =>
      studyFrom(
        Array.from({ length: 100 }, (_, i): TestFrame => ({
          runs: [run('sim', MS), ...(i % every === 0 ? [run('recorder.send', MS)] : [])],
        })),
        { markers: { 'recorder.send': { group: 'recorder' } } },
      )
    expect(alignedFrames([layer(sent(5), 'A'), layer(sent(7))])).to.equal(100)
  })

  it('are one alone, without frames, or of another game', () => {
    expect(refused(layer(letters(10)))).to.equal('two takes are needed at least, of the same run')
    expect(refused(layer(letters(10)), layer(studyFrom([]), 'C'))).to.equal('C has no frames')
    const other = studyFrom([{ runs: [run('cook', MS)] }])
    expect(refused(layer(letters(1), 'A'), layer(other))).to.equal('B has no marker in common with A')
  })

  it('tell moments that fall elsewhere', () => {
    const rung = (every: number) =>
      studyFrom(
        Array.from({ length: 100 }, (_, i): TestFrame => ({
          runs: [run('sim', MS)],
          ...(i % every === 0 ? { moments: ['bell'] } : {}),
        })),
      )
    expect(refused(layer(rung(5), 'A'), layer(rung(7)))).to.contain('the moment bell')
  })
})

describe('what a composite is for', () => {
  /** The game does the same each night; the machine strikes where it likes. */
  function night(seed: number): TestFrame[] {
    const random = randomFrom(seed)
    let slow = 0
    return Array.from({ length: 900 }, (_, i): TestFrame => {
      if (slow > 0) slow--
      else if (random() < 0.02) slow = 1 + Math.floor(4 * random())
      const factor = slow > 0 ? 1.5 + 2 * random() : 1
      const ns = (ms: number) => Math.round(ms * MS * factor * Math.exp(0.1 * normalFrom(random)))
      const struck = random() < 0.02 ? 20 * MS * random() : 0
      return {
        runs: [
          run('sim', ns(2), { children: [run('seek', ns(i % 60 === 0 ? 9 : 1)), run('belt', ns(1))] }),
          run('draw', ns(3) + struck),
        ],
      }
    })
  }
  const p95 = ({ frames }: Study) => percentile(frames.workNs, 0.95) / MS
  const spread = (values: number[]) => {
    const mean = values.reduce((sum, value) => sum + value, 0) / values.length
    return Math.sqrt(values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / (values.length - 1))
  }

  it('scatters less than half as much as single takes do, and lies nearer to the game', () => {
    const nights = Array.from({ length: 36 }, (_, i) => night(i + 1))
    const single = nights.map((frames) => p95(studyFrom(frames)))
    const made = Array.from({ length: 12 }, (_, i) => composite(nights.slice(3 * i, 3 * i + 3)))
    const together = made.map(({ study }) => p95(study))
    expect(spread(together)).to.be.below(spread(single) / 2)
    // Without the machine 95 of 100 frames take 7 ms, and one in 60 takes 15.
    for (const value of together) expect(value).to.be.within(6.5, 8.5)
    expect(Math.min(...single)).to.be.above(Math.max(...together))
    // The game's own spikes stay, and hardly any other.
    const seek = selfOf(made[0]!.study, 'seek')
    const long = [...seek.keys()].filter((frame) => seek[frame]! > 6 * MS)
    expect(long).to.deep.equal(Array.from({ length: 15 }, (_, i) => 60 * i))
  })
})
