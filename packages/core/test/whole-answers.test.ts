/** Answers about takes of which every figure can be worked out by hand: all that they tell, columns summed up. */
import { expect } from 'chai'
import { readFileSync } from 'node:fs'
import { answer, type Question } from '@lapsus/core/questions'
import { QUESTION_LIST } from '@lapsus/core/questions/all'
import { SCENES } from './support/scenes.ts'
import { sourceOfStudy } from './support/source.ts'
import { studyFrom } from './support/studies.ts'
import { summedUp } from './support/summaries.ts'

interface Whole {
  of: { name: string; scene: string; input: object }
  told: object
}
const WHOLE = JSON.parse(
  readFileSync(new URL('./support/whole-answers.json', import.meta.url), 'utf8'),
) as Whole[]

/** What is told of a field, where that is not all of it. */
const SHORT: Record<string, (value: never) => unknown> = {
  collections: (rows: unknown[]) => (rows.length > 2 ? [rows[0], rows.at(-1)] : rows),
  points: (points: unknown[]) => ({ length: points.length, first: points[0], last: points.at(-1) }),
  fits: (fits: { law: string }[]) => fits.map(({ law }) => law),
  best: (best: object) => ({ ...best, aicc: undefined }),
}

const shortened = (told: object): unknown =>
  summedUp(
    Object.fromEntries(
      Object.entries(told).map(([name, value]) => [name, SHORT[name]?.(value as never) ?? value]),
    ),
  )

describe('the whole answer', () => {
  for (const { of, told } of WHOLE) {
    it(`of ${of.name} to ${of.scene}`, async () => {
      const { frames, game = {} } = SCENES[of.scene]!
      const markers = { ...game.markers, refresh: { kind: 'wait:refresh' as const } }
      const study = studyFrom(frames, { target: 50, ...game, markers })
      const question = (QUESTION_LIST as readonly unknown[] as Question[]).find(
        ({ name }) => name === of.name,
      )!
      const found = await answer(question, sourceOfStudy(study), of.input as never)
      expect(shortened(found)).to.deep.equal(told)
    })
  }
})
