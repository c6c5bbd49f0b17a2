/** A history, and devices, as a person would say them. */
import { amount, bytes, ms, percent, plural, saidIn, tableLines, three } from '../words/index.ts'
import { TARGETS } from './sums.ts'
import type { Devices } from './devices.ts'
import { FIGURES, type Change, type Coming, type HistoryGroup, type HistoryLine } from './history.ts'

export function valueWords(value: number | null, unit: Change['unit']): string {
  if (value === null) return 'not known'
  if (unit === 'ms') return ms(value)
  if (unit === 'share') return percent(value)
  return unit === 'bytes' ? bytes(Math.round(value)) : three(value)
}

const subjectOf = ({ of, name }: Pick<Change, 'of' | 'name'>): string =>
  of === 'path' ? name.at(-1)! : FIGURES[name[0] as keyof typeof FIGURES].words

/** `tally.text takes 0.83 ms a frame more since 1.4.0 (0.79 to 0.87)`. */
export function changeWords(change: Change): string {
  const { before, after, low, high, unit, fromVersion, toVersion } = change
  const by = (value: number) => (unit === 'ms' ? three(value) : valueWords(value, unit))
  const [least, most] = after > before ? [low, high] : [-high, -low]
  const size = `${valueWords(Math.abs(after - before), unit)}${change.of === 'path' ? ' a frame' : ''} ${after > before ? 'more' : 'less'}`
  const since = fromVersion === toVersion ? '' : ` since ${toVersion}`
  return `${subjectOf(change)}: ${size}${since} (${by(least)} to ${by(most)}), ${valueWords(before, unit)} before`
}

export const comingWords = ({ path, version }: Coming, isNew: boolean): string =>
  isNew ? `${path.join(' > ')} is new in ${version}` : `${path.join(' > ')} is gone since ${version}`

/** Groups that take more than they may in the newest take, as sentences. */
export const groupsOverWords = (groups: readonly HistoryGroup[]): string[] =>
  groups.flatMap(({ group, ms: taken, budgetMs }) => {
    const last = taken.at(-1)!
    return budgetMs === null || last <= budgetMs
      ? []
      : [`${group || 'markers without a group'}: ${ms(last)} a frame of a budget of ${ms(budgetMs)}`]
  })

/** One line of a history in a sentence. */
export function lineSentence({ takes, changes }: HistoryLine): string {
  const versions = new Set(takes.map(({ version }) => version)).size
  const seen = `${plural(takes.length, 'take')} of ${plural(versions, 'version')}`
  const paths = changes.filter(({ of }) => of === 'path')
  const [told] = paths.length > 0 ? paths : changes
  if (told === undefined) return `${seen}: nothing changed for good.`
  const more = changes.length - 1
  return `${seen}: ${changeWords(told)}${more > 0 ? `; and ${plural(more, 'more change')}` : ''}.`
}

/** @param markdown as Markdown tables; else in columns */
export function historyReport(lines: readonly HistoryLine[], markdown = false): string {
  if (lines.length === 0) return 'There is no take with frames.'
  const say = saidIn(markdown)
  return lines
    .map((line) => {
      const { about, takes, changes, appeared, vanished, figures, groups } = line
      const valueOf = (name: string, i: number) => {
        const { unit } = FIGURES[name as keyof typeof FIGURES]
        return valueWords(figures.find((one) => one.name === name)!.values[i]!, unit)
      }
      const rows = takes.map(({ version, name, started }, i) => [
        version,
        name || started.slice(0, 16).replace('T', ' '),
        ...['mean', 'p95', 'over'].map((figure) => valueOf(figure, i)),
        three(line.speed[i]!),
      ])
      const said = [
        ...changes.map(changeWords),
        ...appeared.map((one) => comingWords(one, true)),
        ...vanished.map((one) => comingWords(one, false)),
        ...groupsOverWords(groups),
      ]
      return [
        `${markdown ? '## ' : ''}${say(about)}`,
        '',
        say(lineSentence(line)),
        ...(said.length === 0 ? [] : ['', ...said.map((words) => `${markdown ? '- ' : '  '}${say(words)}`)]),
        '',
        ...tableLines(['version', 'take', 'mean', 'p95', 'over', 'machine'], rows, markdown),
      ].join('\n')
    })
    .join('\n\n')
}

export function devicesReport({ rows, lowest }: Devices, markdown = false): string {
  if (rows.length === 0) return 'There is no take with frames.'
  const table = rows.map((row) => [
    row.device,
    row.about,
    ms(row.p95Ms),
    ...row.overShare.map(percent),
    three(row.collectionsPer1000),
    row.heapBytes === null ? '' : bytes(Math.round(row.heapBytes)),
  ])
  const holds = TARGETS.map((target, i) => {
    const at = lowest[i]
    return at === null || at === undefined
      ? `${target} frames a second: no device holds them`
      : `${target} frames a second: ${rows[at]!.device} is the slowest that holds them`
  })
  const heads = [
    'device',
    'played',
    'p95',
    ...TARGETS.map((target) => `over at ${target}`),
    'collections',
    'heap',
  ]
  return [
    ...tableLines(heads, table, markdown),
    '',
    ...holds.map((words) => `${markdown ? '- ' : ''}${saidIn(markdown)(words)}`),
  ].join('\n')
}

/** How many of a load a device holds at a target. */
export const holdsWords = (breaksAt: number | null): string =>
  breaksAt === null ? 'as many as there are' : amount(Math.floor(breaksAt))
