/** What is wrong with a take, as `inspect` prints it: spikes, findings, collections, roster. */
import { collectionReports, type CollectionReport } from '@lapsus/core/questions/memory'
import {
  findingReports,
  machineReport,
  spikeReports,
  type CauseReport,
  type FindingReport,
  type Diagnosis as WholeDiagnosis,
  type SpikeReport,
} from '@lapsus/core/questions/diagnosis'
import { rosterOf, type RosterRow } from '@lapsus/core/questions/roster'
import { type Evidence } from '@lapsus/core/detect'
import { pathPlace } from '@lapsus/core/study'
import { causeWords, ms, OUTSIDE, placeWords, plural, spellWords } from '@lapsus/core/words'

/** Frames are numbers in the take; times in ms; paths are names, from the outermost marker inwards. */
export interface Diagnosis {
  machine: WholeDiagnosis['machine']
  spikes: (Omit<SpikeReport, 'causes'> & { causes: (Omit<CauseReport, 'pathId'> & Placed)[] })[]
  findings: (Omit<FindingReport, 'pathId' | 'view' | 'load'> & Placed)[]
  collections: (Omit<CollectionReport, 'blame'> & { blame: { path: string[]; share: number }[] })[]
  roster: (Omit<RosterRow, 'marker' | 'path'> & Placed & { path: string[] })[]
}

interface Placed {
  /** Where in the code, `file:line`; null where that is not known. */
  at: string | null
}

export function diagnose(evidence: Evidence): Diagnosis {
  const nameless = <T extends { pathId: number | null }>({ pathId: _, ...rest }: T) => rest
  const placed = <T extends { pathId: number | null }>({ pathId, ...rest }: T) => ({
    ...rest,
    at: placeOf(evidence, pathId),
  })
  return {
    machine: machineReport(evidence),
    spikes: spikeReports(evidence).map((spike) => ({ ...spike, causes: spike.causes.map(placed) })),
    findings: findingReports(evidence).map(({ view: _view, load: _load, ...finding }) => placed(finding)),
    collections: collectionReports(evidence).map((kind) => ({ ...kind, blame: kind.blame.map(nameless) })),
    roster: rosterOf(evidence).map(({ marker: _, path, ...row }) => ({
      ...row,
      path: path === null ? [] : evidence.names(path),
      at: placeOf(evidence, path),
    })),
  }
}

function placeOf({ study }: Evidence, path: number | null): string | null {
  const at = pathPlace(study, path)
  return at === null ? null : placeWords(at)
}

const MOST_FINDINGS = 8

/** The diagnosis as a person would send it to a colleague. */
export function diagnosisWords({ findings, spikes, machine }: Diagnosis): string[] {
  const shown = findings.filter(({ small }) => !small)
  const floor = shown.filter(({ trouble }) => trouble === 'floor').slice(0, MOST_FINDINGS)
  const spike = shown.filter(({ trouble }) => trouble === 'spike').slice(0, MOST_FINDINGS)
  const byMachine = shown.filter(({ trouble }) => trouble === 'machine')
  const small = findings.length - shown.length
  const section = (head: string, list: Diagnosis['findings']) =>
    list.length === 0 ? [] : [head, ...list.flatMap(findingWords), '']
  return [
    ...section('What raises the floor of every frame:', floor),
    ...section('What makes single frames stick out:', spike),
    ...section('What the machine did:', byMachine),
    ...(machine.spells.length === 0
      ? []
      : [`Beside that ${machine.spells.slice(0, MOST_SPELLS).map(spellWords).join(', ')}.`, '']),
    ...(shown.length === 0 ? ['Nothing worth 1 % of the budget was found.', ''] : []),
    ...(small === 0
      ? []
      : [`${plural(small, 'finding')} below 1 % of the budget left out; --json has all.`, '']),
    ...(spikes.length === 0
      ? []
      : [`${plural(spikes.length, 'spike')}, the worst:`, ...worstSpikes(spikes), '']),
  ]
}

function findingWords(finding: Diagnosis['findings'][number], i: number): string[] {
  const { kind, path, text, trouble, confidence, frames, at } = finding
  const gain =
    trouble === 'machine'
      ? `cost ${ms(finding.costMsPerFrame)} a frame`
      : trouble === 'spike'
        ? `could get back ${ms(finding.recoverableMsWhereItStrikes)} where it strikes`
        : `could get back ${ms(finding.recoverableMsPerFrame)} a frame`
  const see = frames.length === 0 ? '' : `; see frame ${frames[0]}`
  return [
    `${String(i + 1).padStart(2)}. ${text}`,
    `    ${kind}, ${path.join(' > ') || 'whole frames'}${at === null ? '' : `, ${at}`}; ${gain}; confidence ${confidence}${see}`,
  ]
}

const MOST_SPIKES = 5
const MOST_SPELLS = 4

function worstSpikes(spikes: Diagnosis['spikes']): string[] {
  return [...spikes]
    .sort((a, b) => b.excessMs - a.excessMs)
    .slice(0, MOST_SPIKES)
    .map(({ frame, workMs, durationMs, held, excessMs, moment, causes }) => {
      const at = moment === null ? '' : ` at “${moment}”`
      const why = causes.slice(0, 2).map(causeLine).join('; ') || 'nothing sticks out'
      return `    frame ${frame}: ${ms(held ? durationMs : workMs)}, ${ms(excessMs)} more than around it${at}: ${why}`
    })
}

const causeLine = (cause: Diagnosis['spikes'][number]['causes'][number]): string =>
  `${causeWords(cause.path.at(-1) ?? OUTSIDE, cause)} (+${ms(cause.excessMs)})`
