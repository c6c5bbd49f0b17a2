import {
  CONFIDENCES,
  FINDING_VIEWS,
  FINDING_KINDS,
  REMEDY_KINDS,
  MACHINE_SIGNS,
  TROUBLES,
  WHYS,
} from '../../detect/index.ts'
import { list, number, object, oneOf, orNone, rows, text, truth, whole, type Told } from '../shape.ts'

const pathId = orNone(whole('number of the path; null for whole frames, or for time outside any marker'))
const path = list(text(''), 'names from the outermost marker to the path’s own; empty like `pathId`')

export const FINDING = {
  id: text('the same for the same trouble in every take of the game'),
  kind: oneOf(FINDING_KINDS, ''),
  pathId,
  path,
  trouble: oneOf(
    TROUBLES,
    'a floor that is too high in most frames, single frames that stick out, or what the machine does to the game',
  ),
  text: text('what, how often, what it costs, what normal would be'),
  costMsPerFrame: number('mean over all frames', 'ms'),
  recoverableMsPerFrame: number('the most that could be got back', 'ms'),
  costMsWhereItStrikes: number('in the frames it strikes, on average', 'ms'),
  recoverableMsWhereItStrikes: number('the most that could be got back there', 'ms'),
  comingMs: number('a frame after ten more minutes like these, if it grows; 0 for what does not', 'ms'),
  confidence: oneOf(CONFIDENCES, ''),
  because: text('why so sure, or not'),
  frames: list(whole(''), 'to open, the most telling first'),
  remedies: list(oneOf(REMEDY_KINDS, ''), 'that fit'),
  view: oneOf(FINDING_VIEWS, 'where its evidence is seen best'),
  subject: text('what tells it from others of its kind and path: a class, a gauge, a moment'),
  load: orNone(text('to set the cost against, in the view `scaling`: `gauge 3`, or `class 1`')),
  small: truth('below 1 % of the budget'),
}
export type FindingReport = Told<typeof FINDING>

export const CAUSE = {
  pathId,
  path,
  excessMs: number('more than usual', 'ms'),
  selfMs: number('own time', 'ms'),
  usualMs: number('median of the normal frames around', 'ms'),
  calls: number('runs'),
  usualCalls: number('runs in the normal frames around, the median'),
  why: oneOf(
    WHYS,
    'more runs, slower ones, a collection, a wait, or the machine: then `calls` says how many times as long all code took',
  ),
}
export type CauseReport = Told<typeof CAUSE>

export const SPIKE = {
  frame: whole('the worst of the episode'),
  fromFrame: whole('first of the episode'),
  toFrame: whole('last of the episode, included'),
  workMs: number('of the worst frame', 'ms'),
  durationMs: number('of the worst frame', 'ms'),
  excessMs: number('more than the middle of the frames around: of work, or of duration if held', 'ms'),
  severityMs: number('the excess of all frames of the episode', 'ms'),
  held: truth('its work fits the budget: it waited'),
  typicalFrame: whole('a normal frame nearby, to lay beside'),
  family: orNone(whole('number of the family; null for one unlike the others')),
  moment: orNone(text('what the family follows; null where nothing explains when it comes')),
  machine: orNone(
    oneOf(
      MACHINE_SIGNS,
      'why it is the machine’s: the system says so, all code was slower, a run was struck as any may be; null for the game’s',
    ),
  ),
  causes: rows(CAUSE, 'most excess first'),
}
export type SpikeReport = Told<typeof SPIKE>

export const FAMILY = {
  spikes: whole('members', '', 2),
  held: truth('they waited'),
  meanExcessMs: number('over the members', 'ms'),
  causes: rows(CAUSE, 'that half of the members have or more, most excess first'),
  period: orNone(
    object(
      { ms: number('from one to the next', 'ms'), spreadMs: number('give or take', 'ms') },
      'null for none',
    ),
  ),
  finding: orNone(text('the `id` of the finding that tells of it; null where none does')),
  moment: orNone(
    object(
      {
        name: text(''),
        members: whole('that begin within three frames after it'),
        times: whole('that it happened'),
        lift: number('how much likelier a spike of the family is right after it'),
        chance: number('that this is chance, after having asked of all moments and families'),
      },
      'that they follow; null for none',
    ),
  ),
}
export type FamilyReport = Told<typeof FAMILY>

export const MARKS = ['known', 'no-problem'] as const
export const MARK = {
  finding: text('its `id`'),
  mark: oneOf(MARKS, ''),
  reason: text(''),
  at: text('RFC 3339'),
}
export type FindingMark = Told<typeof MARK>

export const SPELL = {
  fromFrame: whole('first'),
  toFrame: whole('last, included'),
  fromS: number('since the first of the chosen frames', 's'),
  toS: number('to its end', 's'),
  factor: number('how many times as long the same code took as usual'),
}
export type SpellReport = Told<typeof SPELL>

export const MACHINE = {
  telling: whole('paths whose runs tell the machine’s speed; 3 or more are needed'),
  blockFrames: whole('frames of a block'),
  slowness: list(
    number(''),
    'how many times as long the same code took as usual, by block; 1 where too few paths tell',
  ),
  spells: rows(SPELL, 'when that is 1.1 or more, or 0.9 or less'),
}

export const DIAGNOSIS_TELLS = {
  findings: rows(FINDING, 'most to be got back first'),
  spikes: rows(SPIKE, 'in order of time'),
  families: rows(FAMILY, 'the costliest first'),
  pauses: whole('frames in which the game stood still'),
  machine: object(MACHINE, 'how fast the machine was'),
  marks: rows(MARK, 'what people think of findings, in all takes of the game'),
}
export type Diagnosis = Told<typeof DIAGNOSIS_TELLS>

/** @throws FormatError naming the field that is wrong */
export const readMarks = (value: unknown): FindingMark[] => rows(MARK, '').read(value, 'marks')
