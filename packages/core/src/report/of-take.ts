/** A take as a report: what it spends, what is wrong, its worst frames, its ledger, its circumstances. */
import type { Place } from '../format/index.ts'
import { DIAGNOSIS } from '../questions/diagnosis/index.ts'
import { LEDGER } from '../questions/ledger/index.ts'
import { answer, type Source } from '../questions/index.ts'
import { pathNames, pathPlace, type Study } from '../study/index.ts'
import { frameFigures, MAIN_LANE } from '../take/index.ts'
import { amount, dateTime, ms, percent, placeWords, plural, sentence, three } from '../words/index.ts'
import type { Block, Report } from './blocks.ts'
import { pagePicture, stripPicture, type PageSpan } from './pictures.ts'

/** What a report says of a take beside what its source holds. */
export interface TakeTitle {
  game: string
  name: string
  /** RFC 3339. */
  started: string
}

const MOST_FINDINGS = 30
const WORST_FRAMES = 3
const LEDGER_ROWS = 40

export const titleOf = ({ game, name }: TakeTitle): string => (name === '' ? game : `${game}: ${name}`)

export async function reportOfTake(source: Source, title: TakeTitle): Promise<Report> {
  const study = await source.study()
  const budgetMs = 1000 / source.chosen.target
  const about = `Recorded ${dateTime(title.started)}; judged by ${amount(source.chosen.target)} frames a second.`
  if (study.frames.workNs.length === 0)
    return {
      title: titleOf(title),
      about,
      blocks: [{ lead: 'The take has no frames.' }, ...conditionBlocks(source)],
    }
  return {
    title: titleOf(title),
    about,
    blocks: [
      ...frameBlocks(study, budgetMs),
      ...(await findingBlocks(source)),
      ...(await worstBlocks(source, study, budgetMs)),
      ...(await ledgerBlocks(source, study)),
      ...conditionBlocks(source),
    ],
  }
}

function frameBlocks(study: Study, budgetMs: number): Block[] {
  const { frames, over, overShare, late, held, work } = frameFigures(study.frames, budgetMs)
  const through =
    over === 0
      ? 'no frame goes through the floor'
      : `${plural(over, 'frame')} of ${amount(frames)} (${percent(overShare)}) go through the floor`
  const waiting = held === 0 ? '' : `; ${held} more are late because they wait`
  return [
    { lead: sentence(`${through}${waiting}`) },
    {
      picture: stripPicture(study.frames.workNs, budgetMs, 'Work of all frames'),
      words: 'Work of all frames, the worst of each column.',
    },
    {
      heads: ['work of a frame', 'p50', 'p95', 'p99', 'p99.9', 'worst', 'late'],
      rows: [['', ...[work.p50, work.p95, work.p99, work.p999, work.worst].map(ms), amount(late)]],
    },
  ]
}

async function findingBlocks(source: Source): Promise<Block[]> {
  const { findings } = await answer(DIAGNOSIS, source, {})
  const told = findings.filter(({ small }) => !small).slice(0, MOST_FINDINGS)
  if (told.length === 0)
    return [{ heading: 'Findings' }, { text: 'Nothing was found that takes more than 1 % of the budget.' }]
  return [
    { heading: 'Findings' },
    {
      heads: ['finding', 'costs a frame', 'can be got back'],
      rows: told.map(({ path, pathId, text, costMsPerFrame, recoverableMsPerFrame }) => [
        `${path.length === 0 ? '' : `${path.join(' › ')}: `}${text}${inBrackets(pathPlace(source, pathId))}`,
        ms(costMsPerFrame),
        ms(recoverableMsPerFrame),
      ]),
    },
    ...codeBlocks(
      source,
      told.map(({ pathId }) => pathId),
    ),
  ]
}

const inBrackets = (at: Place | null): string => (at === null ? '' : ` (${placeWords(at)})`)

/** What the findings speak of, where its lines were kept; each once. */
function codeBlocks(source: Source, pathIds: readonly (number | null)[]): Block[] {
  const places = pathIds.map((path) => pathPlace(source, path))
  const shown = new Map(
    places.flatMap((at): [string, Block][] =>
      at === null || at.source === null
        ? []
        : [
            [
              placeWords(at),
              { code: at.source.lines, from: at.source.from, line: at.line, words: placeWords(at) },
            ],
          ],
    ),
  )
  return shown.size === 0 ? [] : [{ heading: 'The code, as it was recorded' }, ...shown.values()]
}

/** The frames with most work, as pages. */
async function worstBlocks(source: Source, study: Study, budgetMs: number): Promise<Block[]> {
  const { workNs } = study.frames
  const order = [...workNs.keys()].sort((a, b) => workNs[b]! - workNs[a]!).slice(0, WORST_FRAMES)
  const blocks: Block[] = []
  for (const frame of order) {
    const number = study.firstFrame + frame
    const found = await source.frame(number)
    if (found === null) continue
    const startNs = found.frames.startNs[found.within]!
    const spans: PageSpan[] = []
    for (let i = 0; i < found.spans.path.length; i++) {
      const path = study.paths.get(found.spans.path[i]!)
      if (path.lane !== MAIN_LANE) continue
      const { name } = study.declarations.marker(path.marker)
      const [begins, lasts] = [found.spans.startNs[i]! - startNs, found.spans.durationNs[i]!]
      spans.push({ name, kind: path.kind, depth: path.depth, startNs: begins, durationNs: lasts })
    }
    const words = `Frame ${amount(number)}: ${ms(workNs[frame]! / 1e6)} of work.`
    blocks.push({ picture: pagePicture(spans, study.frames.durationNs[frame]!, budgetMs, words), words })
  }
  return blocks.length === 0 ? [] : [{ heading: 'Worst frames' }, ...blocks]
}

async function ledgerBlocks(source: Source, study: Study): Promise<Block[]> {
  const { rows, frames } = await answer(LEDGER, source, {})
  const shown = rows.slice(0, LEDGER_ROWS)
  return [
    { heading: 'Where the time goes' },
    {
      heads: ['path', 'self, ms a frame', 'total, ms a frame', 'self p99, ms', 'runs a frame'],
      rows: shown.map(({ key, selfMs, totalMs, selfP99Ms, calls }) => [
        pathWords(study, key),
        ...[selfMs / frames, totalMs / frames, selfP99Ms, calls / frames].map(three),
      ]),
    },
    ...(rows.length > shown.length
      ? [{ text: `And ${plural(rows.length - shown.length, 'more path')}.` }]
      : []),
  ]
}

function pathWords(study: Study, path: number): string {
  const { lane } = study.paths.get(path)
  const on = lane === MAIN_LANE ? '' : ` [${study.declarations.lane(lane).name}]`
  return `${pathNames(study, path).join(' › ')}${on}`
}

function conditionBlocks({ conditions }: Pick<Source, 'conditions'>): Block[] {
  const { recorder, more = {}, ...plain } = conditions
  const rows = [
    ...Object.entries(plain).filter(([, value]) => value !== undefined && value !== ''),
    ...Object.entries(more),
    ...(recorder === undefined ? [] : [['a span costs', `${three(recorder.spanNs)} ns`]]),
  ].map(([name, value]) => [String(name), String(value)])
  return rows.length === 0 ? [] : [{ heading: 'Circumstances' }, { heads: ['', ''], rows }]
}
