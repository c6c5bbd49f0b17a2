import type { TakeSummary } from '@lapsus/api'
import { three } from './numbers.ts'

/** The circumstances of a take, in words, most telling first. */
export function conditionWords({ conditions, dropped, repaired }: TakeSummary): string[] {
  const { build, device, scene, seed, load, mode, runtime, recorder, more = {} } = conditions
  return [
    build,
    scene,
    load,
    seed === undefined ? undefined : `seed ${seed}`,
    ...Object.entries(more).map(([name, value]) => `${name}: ${String(value)}`),
    device,
    runtime,
    mode === undefined ? undefined : `mode ${mode}`,
    recorder === undefined
      ? undefined
      : `recorder ${three(recorder.spanNs)} ns a span, clock ${three(recorder.clockResolutionNs)} ns`,
    dropped > 0 ? `${dropped} frames left out by the recorder` : undefined,
    repaired > 0 ? `${repaired} unbalanced calls repaired` : undefined,
  ].filter((words) => words !== undefined && words !== '') as string[]
}
