/** What a check found, for people and for build servers. */
import { escaped, saidIn, tableLines, three } from '../words/index.ts'
import type { Checked, CheckRow, Outcome } from './check.ts'

const OUTCOME_WORDS: Record<Outcome, string> = {
  holds: 'holds',
  breached: 'BREACHED',
  'cannot-tell': 'cannot tell',
}

/** What a limit is on. */
export const subjectOf = ({ of, name }: CheckRow): string => {
  const kind = {
    frames: 'frames',
    groups: 'group',
    paths: '',
    classes: 'class',
    findings: 'findings',
    before: '',
  }
  if (of === 'before')
    return name.length === 0 ? 'any path against before' : `${name.join(' > ')} against before`
  return [kind[of], name.join(' > ')].filter((part) => part !== '').join(' ')
}

const HEADS = ['take', 'what', 'figure', 'is', 'at most', '']

const cellsOf = (row: CheckRow): string[] => [
  row.take,
  subjectOf(row),
  row.figure,
  row.value === null ? '–' : three(row.value),
  three(row.most),
  [OUTCOME_WORDS[row.outcome], row.words].filter((part) => part !== '').join(': '),
]

const order: Outcome[] = ['breached', 'cannot-tell', 'holds']

/** One sentence. */
export function checkSentence({ outcome, rows, problems }: Checked): string {
  const count = (wanted: Outcome) => rows.filter((row) => row.outcome === wanted).length
  const parts = order
    .filter((wanted) => count(wanted) > 0)
    .map(
      (wanted) =>
        `${count(wanted)} ${{ breached: 'breached', 'cannot-tell': 'untold', holds: 'held' }[wanted]}`,
    )
  if (problems.length > 0) parts.push(`${problems.length} not understood`)
  return `The budget ${{ holds: 'holds', breached: 'is breached', 'cannot-tell': 'cannot be judged' }[outcome]}: ${parts.join(', ')}.`
}

/** A table, what is breached first. @param markdown as a Markdown table; else in columns */
export function checkReport(checked: Checked, markdown = false): string {
  const rows = order
    .flatMap((wanted) => checked.rows.filter(({ outcome }) => outcome === wanted))
    .map(cellsOf)
  const say = saidIn(markdown)
  const problems = checked.problems.map((words) => `${markdown ? '- ' : ''}${say(words)}`)
  return [
    say(checkSentence(checked)),
    '',
    ...(rows.length > 0 ? tableLines(HEADS, rows, markdown) : []),
    ...(problems.length > 0 ? ['', ...problems] : []),
  ].join('\n')
}

/** JUnit XML, as build servers read it: a suite for each take, a case for each limit. */
export function checkJunit({ rows, problems }: Checked): string {
  const takes = [...new Set(rows.map(({ take }) => take))]
  const suites = takes.map((take) => {
    const own = rows.filter((row) => row.take === take)
    return suite(take, own.map(caseOf), counts(own))
  })
  if (problems.length > 0) {
    const cases = problems.map((words) => testcase('budget', words, `<error message="${inLine(words)}"/>`))
    suites.push(suite('budget', cases, { failures: 0, errors: problems.length }))
  }
  return [
    '<?xml version="1.0" encoding="UTF-8"?>',
    '<testsuites name="lapsus check">',
    ...suites,
    '</testsuites>',
    '',
  ].join('\n')
}

const counts = (rows: readonly CheckRow[]) => ({
  failures: rows.filter(({ outcome }) => outcome === 'breached').length,
  errors: rows.filter(({ outcome }) => outcome === 'cannot-tell').length,
})

const suite = (
  name: string,
  cases: string[],
  { failures, errors }: { failures: number; errors: number },
): string =>
  [
    `  <testsuite name="${inLine(name)}" tests="${cases.length}" failures="${failures}" errors="${errors}">`,
    ...cases,
    '  </testsuite>',
  ].join('\n')

function caseOf(row: CheckRow): string {
  const is = `${row.value === null ? '–' : three(row.value)}, at most ${three(row.most)}`
  const message = inLine(row.words === '' ? is : `${is}: ${row.words}`)
  const inner = {
    holds: '',
    breached: `<failure message="${message}"/>`,
    'cannot-tell': `<error message="${message}"/>`,
  }
  return testcase(row.take, `${subjectOf(row)} ${row.figure}`, inner[row.outcome])
}

const testcase = (classname: string, name: string, inner: string): string =>
  `    <testcase classname="${inLine(classname)}" name="${inLine(name)}"${inner === '' ? '/>' : `>${inner}</testcase>`}`

const inLine = (text: string): string => escaped(text).replaceAll(/\s/g, ' ')
