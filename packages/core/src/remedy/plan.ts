/** A plan: remedies in order, as it is stored, sent and written to files (docs/plan.md). */
import { REMEDY_KINDS, type RemedyKind } from '../detect/index.ts'
import { asFields, type Fields } from '../format/index.ts'
import type { Value } from './input.ts'
import { EFFORTS, type Effort } from './remedy.ts'

export const PLAN_FORMAT = 'lapsus-plan'
export const PLAN_VERSION = 1

export const ITEM_STATES = ['idea', 'doing', 'done', 'dropped'] as const
export type ItemState = (typeof ITEM_STATES)[number]

export interface PlanItem {
  /** Tells items of one plan apart. */
  id: string
  remedy: RemedyKind
  /** Names of the markers from the outermost to the path's own; empty for whole frames. */
  path: string[]
  /** A class or marker that tells it from others at the same path; empty where nothing does. */
  subject: string
  /** What was set; what is not here is as the take suggests. */
  parameters: Record<string, Value>
  /** Whether it counts in the forecast; one that is dropped never does. */
  on: boolean
  state: ItemState
  effort: Effort
  note: string
  who: string
  /** Why it was dropped. */
  reason: string
  /** Takes recorded with this fix alone, or parts of them (compare/proof); none yet where empty. */
  proof: string[]
}

export interface Plan {
  name: string
  items: PlanItem[]
  /** Takes recorded with the whole plan; none yet where empty. */
  proof: string[]
}

export const MOST_ITEMS = 100
const LONGEST_TEXT = 10_000

export const emptyPlan = (name = ''): Plan => ({ name, items: [], proof: [] })

/** Whether an item counts in the forecast. */
export const counts = ({ on, state }: Pick<PlanItem, 'on' | 'state'>): boolean => on && state !== 'dropped'

export const planToJson = (plan: Plan): object => ({ format: PLAN_FORMAT, version: PLAN_VERSION, ...plan })

/** What cannot be read as a plan at all. */
export class PlanError extends Error {}

/** A plan as it was read. */
export interface ReadPlan {
  plan: Plan
  /** What made no sense in it, in words, with the items' numbers. */
  problems: string[]
  /** The number of each item that is left, among those that were written, from 1 on. */
  numbers: number[]
}

/**
 * Reads a plan from JSON. An item that makes no sense is left out, and named.
 * @throws PlanError for what is no plan, or one of another version
 */
export function planFromJson(value: unknown): ReadPlan {
  let fields: Fields
  try {
    fields = asFields(value, 'plan')
  } catch {
    throw new PlanError('expected a plan: a JSON object with "format", "version" and "items"')
  }
  if (fields['format'] !== PLAN_FORMAT)
    throw new PlanError(
      `"format" must be "${PLAN_FORMAT}", got ${JSON.stringify(fields['format']) ?? 'nothing'}`,
    )
  if (fields['version'] !== PLAN_VERSION)
    throw new PlanError(
      `this plan is of version ${JSON.stringify(fields['version']) ?? 'unknown'}; version ${PLAN_VERSION} is understood here`,
    )
  if (!Array.isArray(fields['items'])) throw new PlanError('"items" must be an array')
  const problems: string[] = []
  const used = new Set<string>()
  const numbers: number[] = []
  const items = fields['items'].slice(0, MOST_ITEMS).flatMap((item, i) => {
    try {
      const read = readItem(item, i, used, (problem) => problems.push(`item ${i + 1}: ${problem}`))
      used.add(read.id)
      numbers.push(i + 1)
      return [read]
    } catch (error) {
      problems.push(`item ${i + 1} is left out: ${(error as Error).message}`)
      return []
    }
  })
  if (fields['items'].length > MOST_ITEMS) problems.push(`only the first ${MOST_ITEMS} items are used`)
  return {
    plan: { name: textOf(fields, 'name', 200), items, proof: proofOf(fields['proof']) },
    problems,
    numbers,
  }
}

function readItem(
  value: unknown,
  i: number,
  used: ReadonlySet<string>,
  complain: (problem: string) => void,
): PlanItem {
  let fields: Fields
  try {
    fields = asFields(value, 'item')
  } catch {
    throw new PlanError(`expected an object, got ${JSON.stringify(value)}`)
  }
  const remedy = REMEDY_KINDS.find((kind) => kind === fields['remedy'])
  if (remedy === undefined)
    throw new PlanError(
      `there is no remedy ${JSON.stringify(fields['remedy']) ?? '(none given)'}; there are: ${REMEDY_KINDS.join(', ')}`,
    )
  const path = fields['path'] ?? []
  if (!Array.isArray(path) || !path.every((name) => typeof name === 'string'))
    throw new PlanError('"path" must be an array of marker names')
  const oneOf = <T extends string>(name: string, allowed: readonly T[], usual: T): T => {
    const given = fields[name]
    if (given === undefined) return usual
    const found = allowed.find((one) => one === given)
    if (found === undefined)
      complain(
        `"${name}" must be one of ${allowed.join(', ')}, got ${JSON.stringify(given)}; ${usual} is used`,
      )
    return found ?? usual
  }
  const id = textOf(fields, 'id', 60)
  return {
    id: id === '' || used.has(id) ? freshId(used, i) : id,
    remedy,
    path: path as string[],
    subject: textOf(fields, 'subject', 1_000),
    parameters: parametersOf(fields['parameters'], complain),
    on: fields['on'] !== false,
    state: oneOf('state', ITEM_STATES, 'idea'),
    effort: oneOf('effort', EFFORTS, 'medium'),
    note: textOf(fields, 'note', LONGEST_TEXT),
    who: textOf(fields, 'who', 200),
    reason: textOf(fields, 'reason', LONGEST_TEXT),
    proof: proofOf(fields['proof']),
  }
}

function freshId(used: ReadonlySet<string>, i: number): string {
  let id = `item-${i + 1}`
  while (used.has(id)) id += '+'
  return id
}

function parametersOf(value: unknown, complain: (problem: string) => void): Record<string, Value> {
  if (value === undefined || value === null) return {}
  if (typeof value !== 'object' || Array.isArray(value)) {
    complain('"parameters" must be an object; the suggested ones are used')
    return {}
  }
  return Object.fromEntries(
    Object.entries(value).filter(([name, given]): boolean => {
      const fits = (typeof given === 'number' && Number.isFinite(given)) || typeof given === 'string'
      if (!fits)
        complain(
          `parameter "${name}" must be a number or a text, got ${JSON.stringify(given)}; the suggested one is used`,
        )
      return fits
    }),
  ) as Record<string, Value>
}

function textOf(fields: Fields, name: string, longest: number): string {
  const value = fields[name]
  return typeof value === 'string' ? value.slice(0, longest) : ''
}

/** Takes of one proof, and the length of what names one: an identity, a trial and a variant. */
const MOST_PROOFS = 16
const LONGEST_PROOF = 500

/** One text, or several. */
const proofOf = (value: unknown): string[] =>
  (Array.isArray(value) ? value : [value])
    .filter((one): one is string => typeof one === 'string' && one !== '' && one.length <= LONGEST_PROOF)
    .slice(0, MOST_PROOFS)
