/** Any question about a take file, answered as the server would, as JSON. */
import { FormatError } from '@lapsus/core/format'
import { answer, readShape, WrongAsk, type Field, type Question } from '@lapsus/core/questions'
import { QUESTION_LIST } from '@lapsus/core/questions/all'
import { CliError } from './errors.ts'
import { sourceOfFile, type Chosen } from './file-source.ts'
import type { TakeFile } from './take-file.ts'

export const QUESTION_NAMES = QUESTION_LIST.map(({ name }) => name)

/**
 * @param given what the question asks, by name, as it was typed
 * @throws CliError naming what is wrong
 */
export async function ask(
  file: TakeFile,
  name: string,
  given: Record<string, string>,
  chosen: Chosen,
): Promise<object> {
  const question = (QUESTION_LIST as readonly unknown[] as readonly Question[]).find(
    (one) => one.name === name,
  )
  if (question === undefined)
    throw new CliError(`there is no question "${name}"; there are: ${QUESTION_NAMES.join(', ')}`)
  const unknown = Object.keys(given).find((one) => !(one in question.asks))
  if (unknown !== undefined) {
    const asks = Object.keys(question.asks).join(', ') || 'nothing'
    throw new CliError(`the question "${name}" does not ask for "${unknown}"; it asks for: ${asks}`)
  }
  try {
    const asked = readShape(
      question.asks,
      Object.fromEntries(Object.entries(given).map(([one, text]) => [one, typed(question.asks[one]!, text)])),
    )
    return await answer(question, sourceOfFile(file, chosen), asked)
  } catch (error) {
    if (error instanceof WrongAsk || error instanceof FormatError) throw new CliError(error.message)
    throw error
  }
}

const typed = ({ type }: Field, text: string): unknown =>
  type.includes('number') && text.trim() !== '' ? Number(text) : text

/** Columns as arrays; what is no number is null. */
export const asJson = (told: object): string =>
  JSON.stringify(
    told,
    (_, value: unknown) =>
      ArrayBuffer.isView(value) ? Array.from(value as unknown as ArrayLike<number>) : value,
    2,
  )
