/** Numbers that a cost may grow with. */
import type { Study } from '../study/index.ts'
import { instancesOf } from './instances.ts'

export interface LoadSource {
  /** `gauge 3`, or `class 1` for instances. */
  id: string
  /** Id of the gauge; null for instances of a class. */
  gauge: number | null
  class: number | null
  name: string
  values: Float64Array
  /** Whether the values only count what came and went in recorded frames. */
  relative: boolean
}

/** Gauges that count things, and instances of classes. */
export function loadSources(study: Study): LoadSource[] {
  const gauges = [...study.gauges].flatMap(([gauge, values]): LoadSource[] => {
    const { name, unit, variants } = study.declarations.gauge(gauge)
    // Bytes and times are what things cost, and numbers of variants only names: not how many there are.
    return variants.length > 0 || ['bytes', 'ms', 's', 'ns', 'µs', '%'].includes(unit)
      ? []
      : [{ id: `gauge ${gauge}`, gauge, class: null, name, values, relative: false }]
  })
  const classes = instancesOf(study).map(({ class: id, name, alive, relative }): LoadSource => ({
    id: `class ${id}`,
    gauge: null,
    class: id,
    name,
    values: alive,
    relative,
  }))
  return [...gauges, ...classes]
}
