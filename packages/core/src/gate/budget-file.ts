/** What a build may take: limits on one kind of figure each, in a file of their own (docs/check.md). */
import { FINDING_KINDS } from '../detect/index.ts'
import { asFields, shown, type Fields } from '../format/index.ts'

export const BUDGET_FORMAT = 'lapsus-budget'
export const BUDGET_VERSION = 1
/** As many limits of one kind are read. */
const MOST = 1_000

const PATH_FIGURES = {
  msPerFrame: 'ms a frame, with all inside',
  ownMsPerFrame: 'ms a frame, its own',
  runsPerFrame: 'runs a frame',
  bytesPerFrame: 'bytes allocated a frame, its own',
}

/** What can be limited, and what the figure is of. All are "at most". */
export const LIMITED = {
  frames: {
    p50Ms: 'work of the median frame, ms',
    p95Ms: 'work, 95th percentile, ms',
    p99Ms: 'work, 99th percentile, ms',
    worstMs: 'work of the worst frame, ms',
    overShare: 'share of frames over budget, 0 to 1',
    lateShare: 'share of frames late, 0 to 1',
    collectionsPer1000: 'collections in 1,000 frames',
    bytesPerFrame: 'bytes allocated a frame',
  },
  groups: {
    ownMsPerFrame: 'ms a frame of its markers, each its own',
    runsPerFrame: 'runs a frame',
    bytesPerFrame: 'bytes allocated a frame',
  },
  paths: PATH_FIGURES,
  classes: { alive: 'most alive at once' },
} as const

export type LimitOf = keyof typeof LIMITED | 'findings'

export interface Limit {
  of: LimitOf
  /** A path's markers from the outermost on; else one name, or none for frames. */
  name: string[]
  /** Of a path or group; null for the main lane. */
  lane: string | null
  figure: string
  most: number
}

export interface Budget {
  /** Frames a second to judge by; null for the take's own. */
  target: number | null
  limits: Limit[]
  /** How much a path may surely be worse than before, own ms a frame at equal speed. */
  worseByMs: number
}

/** What cannot be read as a budget at all. */
export class BudgetError extends Error {}

export const emptyBudget = (): Budget => ({ target: null, limits: [], worseByMs: 0 })

/**
 * @returns what could be read, and in words what could not
 * @throws BudgetError for what is no budget, or one of another version
 */
export function budgetFromJson(value: unknown): { budget: Budget; problems: string[] } {
  const fields = fieldsOr(value, () => {
    throw new BudgetError(`expected a budget: a JSON object with "format": "${BUDGET_FORMAT}"`)
  })
  if (fields['format'] !== BUDGET_FORMAT)
    throw new BudgetError(`"format" must be "${BUDGET_FORMAT}", got ${shown(fields['format'])}`)
  if (fields['version'] !== BUDGET_VERSION)
    throw new BudgetError(
      `this budget is of version ${shown(fields['version'])}; version ${BUDGET_VERSION} is understood here`,
    )
  const problems: string[] = []
  const read = new Reading(problems)
  const known = ['format', 'version', '$schema', 'target', 'worseByMs', 'findings', ...Object.keys(LIMITED)]
  for (const name of Object.keys(fields)) if (!known.includes(name)) read.unknown(name, known.slice(3))
  const target = 'target' in fields ? read.amount(fields['target'], 'target') : null
  if (target === 0) problems.push('target: expected a number above 0, got 0')
  const budget: Budget = {
    target: target === 0 ? null : target,
    worseByMs: 'worseByMs' in fields ? (read.amount(fields['worseByMs'], 'worseByMs') ?? 0) : 0,
    limits: [
      ...read.figures('frames', fields['frames'] ?? {}, 'frames', []),
      ...read.named('groups', fields['groups'] ?? {}),
      ...read.paths(fields['paths'] ?? []),
      ...read.named('classes', fields['classes'] ?? {}),
      ...read.findings(fields['findings'] ?? {}),
    ],
  }
  return { budget, problems }
}

function fieldsOr<T>(value: unknown, otherwise: () => T): Fields | T {
  try {
    return asFields(value, 'value')
  } catch {
    return otherwise()
  }
}

/** Reads what makes sense and writes down what does not. */
class Reading {
  readonly #problems: string[]

  constructor(problems: string[]) {
    this.#problems = problems
  }

  unknown(where: string, known: readonly string[]): void {
    this.#problems.push(`${where}: there is nothing of that name to limit; there are: ${known.join(', ')}`)
  }

  amount(value: unknown, where: string): number | null {
    if (typeof value === 'number' && Number.isFinite(value) && value >= 0) return value
    this.#problems.push(`${where}: expected a number from 0 on, got ${shown(value)}`)
    return null
  }

  entries(value: unknown, where: string): [string, unknown][] {
    const fields = fieldsOr(value, () => {
      this.#problems.push(`${where}: expected an object, got ${shown(value)}`)
      return {}
    })
    return this.#first(Object.entries(fields), where)
  }

  /** One entry for each figure of one thing; `lane` and `path` say which. */
  figures(of: keyof typeof LIMITED, value: unknown, where: string, name: string[]): Limit[] {
    const entries = this.entries(value, where)
    const laneField = Object.fromEntries(entries)['lane']
    const hasLane = of === 'groups' || of === 'paths'
    if (hasLane && laneField !== undefined && typeof laneField !== 'string') {
      this.#problems.push(`${where}.lane: expected a lane’s name, got ${shown(laneField)}`)
      return []
    }
    const lane = hasLane ? ((laneField as string | undefined) ?? null) : null
    const others = [...(hasLane ? ['lane'] : []), ...(of === 'paths' ? ['path'] : [])]
    return entries.flatMap(([figure, wanted]): Limit[] => {
      if (others.includes(figure)) return []
      if (!Object.hasOwn(LIMITED[of], figure)) {
        this.unknown(`${where}.${figure}`, Object.keys(LIMITED[of]))
        return []
      }
      const most = this.amount(wanted, `${where}.${figure}`)
      return most === null ? [] : [{ of, name, lane, figure, most }]
    })
  }

  named(of: 'groups' | 'classes', value: unknown): Limit[] {
    return this.entries(value, of).flatMap(([name, figures]) =>
      this.figures(of, figures, `${of}.${name}`, [name]),
    )
  }

  paths(value: unknown): Limit[] {
    if (!Array.isArray(value)) {
      this.#problems.push(`paths: expected an array, got ${shown(value)}`)
      return []
    }
    return this.#first(value as unknown[], 'paths').flatMap((entry, i) => {
      const where = `paths[${i}]`
      const path = fieldsOr(entry, () => ({}) as Fields)['path']
      if (!Array.isArray(path) || path.length === 0 || !path.every((name) => typeof name === 'string')) {
        this.#problems.push(
          `${where}.path: expected names of markers, from the outermost on, got ${shown(path)}`,
        )
        return []
      }
      return this.figures('paths', entry, where, path)
    })
  }

  findings(value: unknown): Limit[] {
    return this.entries(value, 'findings').flatMap(([kind, wanted]): Limit[] => {
      if (!(FINDING_KINDS as readonly string[]).includes(kind)) {
        this.unknown(`findings.${kind}`, FINDING_KINDS)
        return []
      }
      const most = this.amount(wanted, `findings.${kind}`)
      return most === null ? [] : [{ of: 'findings', name: [kind], lane: null, figure: 'number', most }]
    })
  }

  #first<T>(all: T[], where: string): T[] {
    if (all.length > MOST) this.#problems.push(`${where}: only the first ${MOST} are checked`)
    return all.slice(0, MOST)
  }
}

/** As it is written to files. */
export function budgetToJson({ target, limits, worseByMs }: Budget): object {
  const of = (kind: LimitOf) => limits.filter((limit) => limit.of === kind)
  const byThing = (kind: LimitOf) => {
    const things = new Map<string, { name: string[]; fields: Record<string, unknown> }>()
    for (const { name, lane, figure, most } of of(kind)) {
      const key = JSON.stringify([lane, name])
      const thing = things.get(key) ?? { name, fields: lane === null ? {} : { lane } }
      thing.fields[figure] = most
      things.set(key, thing)
    }
    return [...things.values()]
  }
  const named = (kind: LimitOf) =>
    Object.fromEntries(byThing(kind).map(({ name, fields }) => [name[0]!, fields]))
  return {
    format: BUDGET_FORMAT,
    version: BUDGET_VERSION,
    ...(target === null ? {} : { target }),
    frames: byThing('frames')[0]?.fields ?? {},
    groups: named('groups'),
    paths: byThing('paths').map(({ name, fields }) => ({ path: name, ...fields })),
    classes: named('classes'),
    findings: Object.fromEntries(of('findings').map(({ name, most }) => [name[0]!, most])),
    worseByMs,
  }
}

/** JSON Schema (draft 2020-12) of a budget file. */
export function budgetSchema(): object {
  const number = (description: string) => ({ type: 'number', minimum: 0, description })
  const figures = (of: keyof typeof LIMITED, more: object = {}, required: string[] = []) => ({
    type: 'object',
    additionalProperties: false,
    required,
    properties: {
      ...more,
      ...Object.fromEntries(Object.entries(LIMITED[of]).map(([name, words]) => [name, number(words)])),
    },
  })
  const lane = { lane: { type: 'string', description: 'the main lane without' } }
  const path = { path: { type: 'array', minItems: 1, items: { type: 'string' } } }
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Budget of a game, checked by lapsus check',
    type: 'object',
    additionalProperties: false,
    required: ['format', 'version'],
    properties: {
      $schema: { type: 'string' },
      format: { const: BUDGET_FORMAT },
      version: { const: BUDGET_VERSION },
      target: { type: 'number', exclusiveMinimum: 0, description: 'frames a second; the take’s own without' },
      frames: figures('frames'),
      groups: { type: 'object', additionalProperties: figures('groups', lane) },
      paths: { type: 'array', items: figures('paths', { ...path, ...lane }, ['path']) },
      classes: { type: 'object', additionalProperties: figures('classes') },
      findings: {
        type: 'object',
        additionalProperties: false,
        properties: Object.fromEntries(FINDING_KINDS.map((kind) => [kind, number('findings of the kind')])),
      },
      worseByMs: number('how much a path may surely be worse than before, own ms a frame at equal speed'),
    },
  }
}
