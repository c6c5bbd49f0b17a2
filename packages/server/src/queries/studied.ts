/** Answers that are worked out from a take's courses. */
import type {
  CourseResponse,
  DiagnosisResponse,
  LoadName,
  MemoryResponse,
  RosterResponse,
  ScalingResponse,
  StudiedFrames,
  WaitingResponse,
} from '@lapsus/api'
import {
  breakingLoad,
  collectionReports,
  fitScaling,
  instancesOf,
  loadOf,
  loadSources,
  memoryOf,
  pointsOf,
  RAMP_MOMENT,
  rampFrames,
  rosterOf,
  waitingOf,
  type Evidence,
} from '@lapsus/core/detect'
import { encodeCbor } from '@lapsus/core/format'
import { courseFigures, dense, runTimesOf, type RunTimes } from '@lapsus/core/study'
import { decodeFrames, unpackFrames } from '@lapsus/core/take'
import { Op } from 'sequelize'
import { unpack } from '../store/compression.ts'
import { diagnose, diagnosisOf } from '../diagnosis/diagnoses.ts'
import type { Sources, StudyQuery } from '../diagnosis/studies.ts'
import { tablesOf } from '../store/take-tables.ts'
import { notFound, ProblemError } from '../problem-error.ts'
import { listMarks } from './marks.ts'
import type { Store, TakeRow } from '../store/store.ts'

const framesOf = (evidence: Evidence, { withoutRecorder }: StudyQuery): StudiedFrames => ({
  from: evidence.study.firstFrame,
  to: evidence.study.firstFrame + evidence.count - 1,
  target: evidence.study.target,
  withoutRecorder,
})

export async function diagnosisResponse(
  sources: Sources,
  row: TakeRow,
  query: StudyQuery,
): Promise<DiagnosisResponse> {
  const marks = await listMarks(sources.store, row.gameId)
  if (query.range === null && query.target === row.target && !query.withoutRecorder) {
    const { target, withoutRecorder } = query
    return {
      from: 0,
      to: Number(row.frames) - 1,
      target,
      withoutRecorder,
      marks,
      ...(await diagnosisOf(sources, row)),
    }
  }
  const evidence = await sources.studies.evidence(row, query)
  return { ...framesOf(evidence, query), marks, ...diagnose(evidence) }
}

/** The most of one collection's blame that is told. */
const MOST_BLAMED = 6

export async function memoryBytes(sources: Sources, row: TakeRow, query: StudyQuery): Promise<Uint8Array> {
  const evidence = await sources.studies.evidence(row, query)
  const { study } = evidence
  const { collections, classes, allocators, ...memory } = memoryOf(evidence)
  const alive = new Map(instancesOf(study).map((series) => [series.class, series.alive]))
  const response: MemoryResponse = {
    ...framesOf(evidence, query),
    ...memory,
    kinds: collectionReports(evidence, collections),
    collections: evidence.collections.map(({ frame, kind, pauseNs, blame }) => {
      const all = blame.reduce((sum, { bytes }) => sum + bytes, 0)
      const most = blame
        .slice(0, MOST_BLAMED)
        .map(({ path, bytes }) => ({ pathId: path, share: bytes / all }))
      return { frame: frame + study.firstFrame, kind, pauseMs: pauseNs / 1e6, blame: most }
    }),
    allocators: allocators.map((one) => ({ ...one, worstFrame: one.worstFrame + study.firstFrame })),
    classes: classes.map((one) => ({ ...one, alive: alive.get(one.class)! })),
  }
  return encodeCbor(response)
}

export async function rosterResponse(
  sources: Sources,
  row: TakeRow,
  query: StudyQuery,
): Promise<RosterResponse> {
  const evidence = await sources.studies.evidence(row, query)
  return { ...framesOf(evidence, query), rows: rosterOf(evidence) }
}

export async function waitingResponse(
  sources: Sources,
  row: TakeRow,
  query: StudyQuery,
): Promise<WaitingResponse> {
  const evidence = await sources.studies.evidence(row, query)
  const waiting = waitingOf(evidence)
  const { firstFrame } = evidence.study
  const paths = waiting.paths.map((path) => ({ ...path, worstFrame: path.worstFrame + firstFrame }))
  return { ...framesOf(evidence, query), ...waiting, paths }
}

/** @param loads ids of one load, or of two whose product counts; null for the one that explains most */
export async function scalingResponse(
  sources: Sources,
  row: TakeRow,
  query: StudyQuery,
  path: number | null,
  loads: string[] | null,
): Promise<ScalingResponse> {
  const evidence = await sources.studies.evidence(row, query)
  const { study, count, isNormal, budgetNs } = evidence
  const known = loadSources(study).map((source) => ({
    ...source,
    id: source.gauge === null ? `class ${source.class}` : `gauge ${source.gauge}`,
  }))
  if (path !== null && path >= study.paths.all.length) {
    throw new ProblemError(400, `"path" must be below ${study.paths.all.length}`, 'path')
  }
  const inRamp = rampFrames(study.moments, count)
  const use = isNormal.map((is, frame) => is & inRamp[frame]!)
  const costNs = path === null ? study.frames.workNs : dense(study.courses.get(path), 'totalNs', count)
  const explainedBy = (values: Float64Array) => fitScaling(pointsOf(values, costNs, use)).explained
  const best = known
    .map(({ id, values }) => ({ id, explained: explainedBy(values) }))
    .reduce((a, b) => (b.explained > a.explained ? b : a), { id: known[0]?.id, explained: 0 })
  const chosen = (loads ?? (best.id === undefined ? [] : [best.id])).map((id) => {
    const found = known.find((source) => source.id === id)
    if (found === undefined) {
      const there = known.map((source) => `${source.id} (${source.name})`).join(', ') || 'none'
      throw new ProblemError(400, `the take has no load "${id}"; there are: ${there}`, 'loads')
    }
    return found
  })
  const load = loadOf(
    chosen.map(({ values }) => values),
    count,
  )
  const scaling = fitScaling(chosen.length === 0 ? [] : pointsOf(load, costNs, use), chosen.length > 1)
  const { fits, exponent, explained } = scaling
  return {
    ...framesOf(evidence, query),
    pathId: path,
    loads: known.map(({ id, name }): LoadName => ({ id, name })),
    chosen: chosen.map(({ id }) => id),
    points: scaling.points.map((point) => ({
      load: point.load,
      costMs: point.costNs / 1e6,
      frames: point.frames,
    })),
    fits,
    best: scaling.best,
    exponent,
    explained,
    breaksAt: breakingLoad(scaling, budgetNs),
    ramp: study.moments.some(({ name }) => name === RAMP_MOMENT),
  }
}

/** Chunks from which single runs are read: spread evenly, so that an answer stays quick. */
const MOST_CHUNKS_READ = 8

export async function courseBytes(
  sources: Sources,
  row: TakeRow,
  query: StudyQuery,
  paths: number[],
): Promise<Uint8Array> {
  const evidence = await sources.studies.evidence(row, query)
  const { length } = evidence.study.paths.all
  const unknown = paths.find((path) => path >= length)
  if (unknown !== undefined) throw notFound(`path ${unknown}: the take has ${length}`, 'paths')
  const frames = framesOf(evidence, query)
  const figures = courseFigures(evidence.study, paths)
  const response: CourseResponse = {
    ...frames,
    ...figures,
    ...(await runTimes(sources.store, row, frames, new Set(paths), figures.calls)),
  }
  return encodeCbor(response)
}

async function runTimes(
  store: Store,
  row: TakeRow,
  { from, to }: StudiedFrames,
  wanted: ReadonlySet<number>,
  calls: Float64Array,
): Promise<{ runTimes: RunTimes | null; chunksRead: number; chunks: number }> {
  const takeId = row.id
  const [places, { paths }] = await Promise.all([
    store.chunks.findAll({
      attributes: ['idx', 'firstFrame', 'frames'],
      where: { takeId, firstFrame: { [Op.lte]: to }, frames: { [Op.gt]: 0 } },
      order: [['idx', 'ASC']],
      raw: true,
    }),
    tablesOf(store, row),
  ])
  // Only those in which there is a run: what runs rarely would be missed.
  const holding = places.filter(({ firstFrame, frames }) =>
    calls
      .subarray(Math.max(0, firstFrame - from), Math.max(0, firstFrame + frames - from))
      .some((n) => n > 0),
  )
  const every = Math.max(1, holding.length / MOST_CHUNKS_READ)
  const read = Array.from(
    { length: Math.min(holding.length, MOST_CHUNKS_READ) },
    (_, i) => holding[Math.floor((i + 0.5) * every)] ?? holding.at(-1)!,
  )
  const durations: number[] = []
  for (const { idx, firstFrame, frames: count } of read) {
    const chunk = await store.chunks.findOne({
      attributes: ['frameColumns', 'spanColumns'],
      where: { takeId, idx },
      raw: true,
    })
    const { startNs } = decodeFrames(chunk!.frameColumns)
    const first = Math.max(0, from - firstFrame)
    const end = Math.min(count, to + 1 - firstFrame)
    const spans = unpackFrames(await unpack(chunk!.spanColumns), startNs, paths, first, end)
    for (let span = 0; span < spans.path.length; span++) {
      if (wanted.has(spans.path[span]!)) durations.push(spans.durationNs[span]!)
    }
  }
  return {
    runTimes: runTimesOf(Float64Array.from(durations)),
    chunksRead: read.length,
    chunks: holding.length,
  }
}
