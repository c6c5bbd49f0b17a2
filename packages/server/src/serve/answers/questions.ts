/** Questions answered from stored takes. */
import { answer, WrongAsk, written, type Question, type Shape, type Told } from '@lapsus/core/questions'
import { QUESTION_LIST } from '@lapsus/core/questions/all'
import { DIAGNOSIS } from '@lapsus/core/questions/diagnosis'
import { ProblemError } from '../../problem-error.ts'
import type { TakeFields } from '../../store/store.ts'
import { listMarks } from '../queries/marks.ts'
import { diagnosisOf } from './diagnoses.ts'
import { sourceOf } from './stored-source.ts'
import type { Sources, StudyQuery } from './studies.ts'

export interface QuestionAsk {
  row: TakeFields
  /** Where it is asked, below a take. */
  at: string
  query: StudyQuery
  asked: Told<Shape>
}

/** Answers that are stored, or to which the store adds something; all others come from the take alone. */
const OWN: Partial<
  Record<string, (sources: Sources, row: TakeFields, query: StudyQuery) => Promise<object>>
> = {
  [DIAGNOSIS.at]: async (sources, row, query) => ({
    ...(await diagnosisOf(sources, row, query)),
    marks: await listMarks(sources.store, row.gameId),
  }),
}

/** The answer as it travels: CBOR, or JSON. @throws ProblemError for what cannot be asked */
export async function answerQuestion(
  sources: Sources,
  { row, at, query, asked }: QuestionAsk,
): Promise<Uint8Array<ArrayBuffer>> {
  const question = QUESTION_LIST.find((one) => one.at === at) as unknown as Question
  try {
    const told =
      (await OWN[at]?.(sources, row, query)) ??
      (await answer(question, await sourceOf(sources, row, query), asked))
    const sent = written(question, told)
    return sent instanceof Uint8Array ? new Uint8Array(sent) : new TextEncoder().encode(JSON.stringify(sent))
  } catch (error) {
    if (error instanceof WrongAsk)
      throw new ProblemError(error.isMissing ? 404 : 400, error.message, error.field)
    throw error
  }
}
