/** A game over weeks as a report. */
import {
  changeWords,
  comingWords,
  FIGURES,
  groupsOverWords,
  lineSentence,
  valueWords,
  type Change,
  type HistoryLine,
} from '../history/index.ts'
import { three } from '../words/index.ts'
import type { Block, Report } from './blocks.ts'
import { coursePicture } from './pictures.ts'

const MOST_PICTURES = 6

export function reportOfHistory(game: string, lines: readonly HistoryLine[]): Report {
  const takes = lines.reduce((sum, line) => sum + line.takes.length, 0)
  return {
    title: `History: ${game}`,
    about: `${takes} takes, those of like conditions in one line.`,
    blocks: lines.length === 0 ? [{ lead: 'There is no take with frames.' }] : lines.flatMap(lineBlocks),
  }
}

function lineBlocks(line: HistoryLine): Block[] {
  const { about, takes, changes, appeared, vanished, figures, speed, groups } = line
  const said = [
    ...changes.map(changeWords),
    ...appeared.map((one) => comingWords(one, true)),
    ...vanished.map((one) => comingWords(one, false)),
    ...groupsOverWords(groups),
  ]
  const valueOf = (name: 'mean' | 'p95' | 'over', i: number) =>
    valueWords(figures.find((one) => one.name === name)!.values[i]!, FIGURES[name].unit)
  const told = new Map(
    changes.map((change) => [JSON.stringify([change.of, change.lane, change.name]), change]),
  )
  return [
    { heading: about },
    { lead: lineSentence(line) },
    ...(said.length === 0 ? [] : [{ list: said }]),
    ...[...told.values()].slice(0, MOST_PICTURES).map((change) => courseBlock(line, change)),
    {
      heads: ['take', 'version', 'work, mean', 'work p95', 'over', 'machine'],
      rows: takes.map(({ name, version }, i) => [
        name,
        version,
        valueOf('mean', i),
        valueOf('p95', i),
        valueOf('over', i),
        `${three(speed[i]!)} ×`,
      ]),
    },
  ]
}

function courseBlock(line: HistoryLine, { of, name, lane, unit }: Change): Block {
  const { takes, changes, figures, paths, target } = line
  const isOf = (change: Change) =>
    change.of === of && change.lane === lane && change.name.join() === name.join()
  const own = changes.filter(isOf).sort((a, b) => a.at - b.at)
  const values =
    of === 'path'
      ? paths.find((path) => path.lane === lane && path.path.join() === name.join())!.ms
      : figures.find((figure) => figure.name === name[0])!.values
  const levels = own.flatMap(({ at, before, after }, i) => [
    ...(i === 0 ? [{ from: 0, to: at - 0.5, value: before }] : []),
    { from: at - 0.5, to: (own[i + 1]?.at ?? takes.length - 0.5) - 0.5, value: after },
  ])
  const labels = takes.flatMap(({ version }, at) =>
    version === takes[at - 1]?.version ? [] : [{ at, text: version }],
  )
  const words =
    of === 'path'
      ? `${name.join(' › ')}: own time a frame at equal speed of the machine, ms.`
      : `${FIGURES[name[0] as keyof typeof FIGURES].words}, take by take.`
  const budget = of === 'frames' && unit === 'ms' ? 1000 / target : null
  return { picture: coursePicture({ values, labels, levels, budget }, words), words }
}
