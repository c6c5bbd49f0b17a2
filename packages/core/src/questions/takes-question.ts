/** A question about takes on two sides. */
import type { Study } from '../study/index.ts'
import type { Question } from './question.ts'
import type { Shape, Told } from './shape.ts'

export interface TakesQuestion<T extends Shape = Shape> extends Pick<
  Question<Shape, T>,
  'name' | 'version' | 'about' | 'tells'
> {
  /** Its address. */
  at: string
  /** @param before judged by the target of the first @throws RangeError for what cannot be compared */
  answer(before: Study[], after: Study[]): Told<T>
}

/** For defining one: keeps the types of its tables. */
export const takesQuestion = <T extends Shape>(parts: TakesQuestion<T>): TakesQuestion<T> => parts

export type TakesAnswer<Q extends { tells: Shape }> = Told<Q['tells']> & { version: number }

/** The answer with its question's version. */
export const answerOfTakes = <T extends Shape>(
  { version, answer }: TakesQuestion<T>,
  before: Study[],
  after: Study[],
): TakesAnswer<TakesQuestion<T>> => ({ version, ...answer(before, after) })
