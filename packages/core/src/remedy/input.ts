/** What a remedy must know to be worked out: suggested from the take, to be set by whoever plans. */
import { plain } from '../words/index.ts'

/** Where a figure came from: the take, or somebody's judgement. */
export const ORIGINS = ['measured', 'assumed'] as const
export type Origin = (typeof ORIGINS)[number]

export type Value = number | string
export type Values = Readonly<Record<string, Value>>

interface InputBase {
  name: string
  /** What it is called where people see it. */
  words: string
  /** What it means, and how the suggestion came about. */
  about: string
  origin: Origin
}

export interface NumberInput extends InputBase {
  sort: 'number'
  unit: string
  least: number
  most: number
  whole: boolean
  suggested: number
  /** Other values worth trying, with why. */
  others: { value: number; words: string }[]
}

export interface ChoiceInput extends InputBase {
  sort: 'choice'
  choices: { id: string; words: string }[]
  suggested: string
}

export type Input = NumberInput | ChoiceInput

type NumberParts = Pick<NumberInput, 'words' | 'about' | 'origin' | 'suggested'> & Partial<NumberInput>

/** A number; from 0 on, with a fraction and without a unit, where nothing else is said. */
export function number(name: string, parts: NumberParts): NumberInput {
  const { least = 0, most = Number.MAX_SAFE_INTEGER, whole = false } = parts
  const rounded = whole ? Math.round(parts.suggested) : parts.suggested
  const suggested = Math.min(most, Math.max(least, Number.isFinite(rounded) ? rounded : least))
  return { sort: 'number', name, unit: '', others: [], ...parts, least, most, whole, suggested }
}

export const choice = (name: string, parts: Omit<ChoiceInput, 'sort' | 'name'>): ChoiceInput => ({
  sort: 'choice',
  name,
  ...parts,
})

/** One input with the value that counts. */
export interface Assumption {
  name: string
  words: string
  unit: string
  value: Value
  /** What somebody set is assumed, whatever the take says. */
  origin: Origin
  about: string
}

/**
 * The values that count: those that were set, where they are allowed, else the suggested ones.
 * @returns problems in words, one for each value that makes no sense
 */
export function settle(
  inputs: readonly Input[],
  set: Values,
): { values: Record<string, Value>; assumptions: Assumption[]; problems: string[] } {
  const values: Record<string, Value> = {}
  const problems: string[] = []
  const assumptions = inputs.map((input): Assumption => {
    const given = Object.hasOwn(set, input.name) ? set[input.name] : undefined
    const problem = given === undefined ? null : problemOf(input, given)
    if (problem !== null) problems.push(problem)
    const isSet = given !== undefined && problem === null && given !== input.suggested
    const value = isSet ? given : input.suggested
    values[input.name] = value
    return {
      name: input.name,
      words: input.words,
      unit: input.sort === 'number' ? input.unit : '',
      value,
      origin: isSet ? 'assumed' : input.origin,
      about: input.about,
    }
  })
  for (const name of Object.keys(set)) {
    if (inputs.some((input) => input.name === name)) continue
    const known = inputs.map((input) => input.name).join(', ') || 'none'
    problems.push(`there is no parameter “${name}” here; there are: ${known}`)
  }
  return { values, assumptions, problems }
}

function problemOf(input: Input, value: Value): string | null {
  const { words } = input
  if (input.sort === 'choice') {
    if (input.choices.some(({ id }) => id === value)) return null
    return `“${words}” must be one of ${input.choices.map(({ id }) => id).join(', ')}, got ${JSON.stringify(value)}`
  }
  const { least, most, whole, unit } = input
  const fits =
    typeof value === 'number' && value >= least && value <= most && (!whole || Number.isInteger(value))
  if (fits) return null
  const range =
    most === Number.MAX_SAFE_INTEGER
      ? `of at least ${plain(least)}`
      : `from ${plain(least)} to ${plain(most)}`
  const got = typeof value === 'number' ? String(value) : JSON.stringify(value)
  return `“${words}” must be a ${whole ? 'whole ' : ''}number ${range}${unit === '' ? '' : ` ${unit}`}, got ${got}`
}

/** A value known to be a number, since it is settled. */
export const numberOf = (values: Values, name: string): number => values[name] as number
