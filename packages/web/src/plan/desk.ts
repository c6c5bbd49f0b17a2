/** The work behind a plan, off the page's own thread: the take's columns, and forecasts on them. */
import type { TakeDetail } from '@lapsus/api'
import { provePlan, studyOfVariant, type ProofTold } from '@lapsus/core/compare'
import {
  baseOf,
  Forecaster,
  forecastPlan,
  frameAfter,
  groupFigures,
  optionsOf,
  planToMarkdown,
  weigh,
  stillOver,
  type Base,
  type Figures,
  type Forecast,
  type FrameAfter,
  type GroupFigures,
  type Plan,
  type PlanContext,
  type RemedyOption,
  type Weighed,
  type StillOver,
} from '@lapsus/core/remedy'
import type { RemedyKind } from '@lapsus/core/detect'
import { frameCount, partOfStudy, studyWithoutRecorder, type Study } from '@lapsus/core/study'
import { transfer } from 'comlink'
import type { FramesQuery } from '../api/ask.ts'
import { joinedColumns } from './joined-columns.ts'
import { readStudy } from './read-study.ts'

/** How frames are judged. */
type Judged = Pick<FramesQuery, 'target' | 'withoutRecorder'>

/** Frames are those of the take, wherever they are told or asked for one by one. */
export interface DeskForecast {
  /** The first of the frames that were forecast. */
  from: number
  forecast: Forecast
  over: StillOver[]
  groupsBefore: GroupFigures[]
  groupsAfter: GroupFigures[]
  /** What working it out took, ms. */
  tookMs: number
}

/** A take, or the frames of one in which a trial used one of its variants. */
export interface ProofTake {
  detail: TakeDetail
  /** `trial=variant`; null for all frames. */
  variant: string | null
}

export interface DeskProof {
  told: ProofTold
  /** Work of the frames that prove it, ns. */
  workNs: Float64Array
}

export interface OptionsRequest {
  path: string[]
  subject: string
  remedies: readonly RemedyKind[]
  frames: readonly number[]
}

export class Desk {
  #study: Study | null = null
  #takeId = ''
  #forecaster: Forecaster | null = null
  #judged = ''
  /** The first of the frames that are planned on. */
  #from = 0
  /** Counts what was asked to be opened: of two takes that are being read the later counts. */
  #asked = 0

  /** Reads a take, unless it is here; then judges the chosen frames. */
  async open(detail: TakeDetail, chosen: FramesQuery, onProgress: (share: number) => void): Promise<void> {
    const key = `${detail.id} ${detail.frames}`
    const asked = ++this.#asked
    if (this.#takeId !== key) {
      this.#forecaster = null
      this.#takeId = ''
      const study = await readStudy(detail, onProgress)
      if (asked !== this.#asked) return
      this.#study = study
      this.#takeId = key
      this.#judged = ''
    }
    const { from, to } = chosen
    const how = JSON.stringify(chosen)
    if (this.#judged === how) return
    const whole = judgedStudy(this.#study!, chosen)
    this.#forecaster = new Forecaster(baseOf(partOfStudy(whole, from, Math.min(frameCount(whole), to + 1))))
    this.#from = from
    this.#judged = how
  }

  forecast(plan: Plan, budgets: Record<string, number>): DeskForecast {
    const startMs = performance.now()
    const { forecaster, base } = this.#open
    const forecasted = forecaster.forecast(plan)
    const tookMs = performance.now() - startMs
    const { forecast, replay } = forecasted
    const over = stillOver(forecasted)
    return {
      from: this.#from,
      forecast,
      over: over.map((one) => ({ ...one, frame: one.frame + this.#from })),
      groupsBefore: groupFigures(base, null, budgets),
      groupsAfter: groupFigures(base, replay, budgets),
      tookMs,
    }
  }

  /** Of a plan that is not the one on the page: of it with one item alone, say. */
  figures(plan: Plan): { before: Figures; after: Figures; workNs: Float64Array } {
    const { before, after, frames } = this.#forecastOnly(plan)
    return { before, after, workNs: frames.workNs }
  }

  /** What the forecast of a plan hangs on, and how far its figures may be off. */
  weigh(plan: Plan): Weighed {
    const { base } = this.#open
    return weigh(base, plan, this.#forecastOnly(plan, false))
  }

  options(request: OptionsRequest): RemedyOption[] {
    const frames = request.frames.map((frame) => frame - this.#from)
    return optionsOf(this.#open.base, { ...request, frames })
  }

  /** Of the last forecast; null before there is one, and for frames that it is not about. */
  frame(frame: number): FrameAfter | null {
    const last = this.#forecaster?.last ?? null
    const at = frame - this.#from
    if (last === null || at < 0 || at >= last.replay.base.count) return null
    const after = frameAfter(last, at)
    return transfer(after, [after.path.buffer, after.selfNs.buffer])
  }

  markdown(plan: Plan, context: PlanContext): string {
    return planToMarkdown(plan, this.#forecastOnly(plan), context)
  }

  /** Sets what a plan was said to bring against takes recorded with it. @throws Error with words fit to show */
  async prove(plan: Plan, takes: readonly ProofTake[], withoutRecorder: boolean): Promise<DeskProof> {
    const { base } = this.#open
    const judged = { target: base.study.target, withoutRecorder }
    const after: Study[] = []
    for (const { detail, variant } of takes)
      after.push(ofVariant(judgedStudy(await readStudy(detail, () => {}), judged), variant))
    return {
      told: provePlan(base, plan, after),
      workNs: joinedColumns(after.map(({ frames }) => frames.workNs)),
    }
  }

  /** A forecast of which nothing is asked afterwards. */
  #forecastOnly(plan: Plan, withSpikes = true): Forecast {
    const { forecast, replay } = forecastPlan(this.#open.base, plan, { withSpikes, withGains: false })
    replay.release()
    return forecast
  }

  get #open(): { forecaster: Forecaster; base: Base } {
    if (this.#forecaster === null) throw new Error('no take is open to plan on')
    return { forecaster: this.#forecaster, base: this.#forecaster.base }
  }
}

function ofVariant(study: Study, wanted: string | null): Study {
  if (wanted === null) return study
  const part = studyOfVariant(study, wanted)
  if (part === null) throw new Error(`The take has no variant “${wanted}”.`)
  return part
}

function judgedStudy(recorded: Study, { target, withoutRecorder }: Judged): Study {
  const study = { ...recorded, target }
  return withoutRecorder ? studyWithoutRecorder(study) : study
}
