/** The few lines of source around markers. */
import { LIMITS, type MarkerDeclaration, type SourceLines } from '../format/index.ts'

/** Lines before and after the one of the marker: what it is about mostly comes after it. */
const [BEFORE, AFTER] = [2, 6]
/** UTF-16 code units, of all markers of a take together. */
const MOST_LETTERS = 2 ** 18

export interface MarkerSource extends SourceLines {
  /** Number of the marker. */
  marker: number
}

/**
 * Of markers that have a place and no lines yet; from the first on, as far as a take should hold.
 * @param textOf a file that a marker names, each asked for once; null for what is no source, or is not what was played
 */
export function sourceAround(
  markers: Iterable<Pick<MarkerDeclaration, 'id' | 'at'>>,
  textOf: (file: string) => string | null,
): MarkerSource[] {
  const files = new Map<string, string[]>()
  const found: MarkerSource[] = []
  let room = MOST_LETTERS
  for (const { id, at } of markers) {
    if (at === null || at.source !== null) continue
    let lines = files.get(at.file)
    if (lines === undefined) files.set(at.file, (lines = linesOf(textOf(at.file))))
    if (at.line > lines.length) continue
    const from = Math.max(1, at.line - BEFORE)
    const around = lines.slice(from - 1, at.line + AFTER)
    room -= around.reduce((sum, line) => sum + line.length, 0)
    if (room < 0) break
    found.push({ marker: id, from, lines: around })
  }
  return found
}

const linesOf = (text: string | null): string[] =>
  text === null || text.includes('\0') ? [] : text.split(/\r\n|\n|\r/).map(short)

/** Not cut within a character. */
const short = (line: string): string =>
  line.length <= LIMITS.sourceWidth ? line : line.slice(0, LIMITS.sourceWidth).replace(/[\ud800-\udbff]$/, '')
