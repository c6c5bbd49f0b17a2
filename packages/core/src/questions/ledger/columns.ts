/**
 * The columns of a ledger: what each means, and how it is made of what rows add up to. Web, command line, CSV and docs
 * go by this table; a new column is one line and its words.
 */
import { bytes, percent, three } from '../../words/index.ts'
import type { LedgerEntry } from './tells.ts'

/** Frames that a row is about: what its sums are divided by. */
export interface LedgerFrames {
  frames: number
}

export interface LedgerColumn {
  /** Its name in addresses and in what is remembered. */
  id: string
  head: string
  about: string
  /** Of a row: what it is sorted by. */
  value(row: LedgerEntry): number
  /** As it is shown; sums as the mean of a frame. Times have a unit to choose, and none of their own. */
  words: ((row: LedgerEntry, of: LedgerFrames) => string) | 'time'
  /** Whether it says anything of a row: a column of which no row has any is not shown. Always, if not given. */
  has?: (row: LedgerEntry) => boolean
  /** Left out where there is little room. */
  needsRoom: boolean
}

export const LEDGER_COLUMNS: readonly LedgerColumn[] = [
  {
    id: 'self',
    head: 'self',
    about: 'Time in the marker itself, without the markers inside it.',
    value: ({ selfMs }) => selfMs,
    words: 'time',
    needsRoom: false,
  },
  {
    id: 'total',
    head: 'total',
    about: 'Time in the marker and everything inside it; counted once where it calls itself.',
    value: ({ totalMs }) => totalMs,
    words: 'time',
    needsRoom: false,
  },
  {
    id: 'p99',
    head: 'self p99',
    about:
      '99th percentile of the self time per frame, in ms, over all frames chosen; frames in which it did not run count as 0.',
    value: ({ selfP99Ms }) => selfP99Ms,
    words: ({ selfP99Ms }) => three(selfP99Ms),
    needsRoom: true,
  },
  {
    id: 'calls',
    head: 'calls',
    about: 'Runs per frame, on average over the frames chosen.',
    value: ({ calls }) => calls,
    words: ({ calls }, { frames }) => perFrame(calls / frames),
    needsRoom: false,
  },
  {
    id: 'bytes',
    head: 'bytes',
    about:
      'Bytes that the marker itself allocates a frame. Runs in which a collection took place are not counted.',
    value: (row) => row.bytes,
    words: (row, { frames }) => (row.bytes > 0 ? bytes(Math.round(row.bytes / frames)) : ''),
    has: (row) => row.bytes > 0,
    needsRoom: true,
  },
  {
    id: 'needless',
    head: 'needless',
    about: 'Share of the runs that said they changed nothing, of those that said anything.',
    value: ({ needlessNs }) => needlessNs,
    words: ({ said, needless }) => (said > 0 ? percent(needless / said) : ''),
    has: ({ needless }) => needless > 0,
    needsRoom: true,
  },
  {
    id: 'repeated',
    head: 'repeated',
    about: 'Runs a frame that asked what had been asked, and answered alike, in the same frame.',
    value: ({ repeated }) => repeated,
    words: ({ repeated }, { frames }) => (repeated > 0 ? three(repeated / frames) : ''),
    has: ({ repeated }) => repeated > 0,
    needsRoom: true,
  },
]

/** Figures below this only clutter the table; the CSV has them in full. */
const LEAST_SHOWN = 0.001

/** A mean of a frame. Differences of frames that hardly differ are as good as none. */
export const perFrame = (value: number): string =>
  value > 0 && value < LEAST_SHOWN ? `<${LEAST_SHOWN}` : Math.abs(value) < LEAST_SHOWN ? '0' : three(value)

/** The columns that some row says something in. */
export const columnsWith = (rows: readonly LedgerEntry[]): LedgerColumn[] =>
  LEDGER_COLUMNS.filter(({ has }) => has === undefined || rows.some(has))
