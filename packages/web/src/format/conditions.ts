import type { TakeSummary } from '@lapsus/api'
import { dateTime, plain, plural, three } from '@lapsus/core/words'

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
    dropped > 0 ? `${plural(dropped, 'frame')} left out by the recorder` : undefined,
    repaired > 0 ? `${plural(repaired, 'unbalanced call')} repaired` : undefined,
  ].filter((words) => words !== undefined && words !== '') as string[]
}

/** Of circumstances in which takes differ so many are told in a line. */
const MOST_DIFFERING = 3

/** What tells each of some takes apart from the others: its name, its time, its build, and what else differs. */
export function tellApart(takes: readonly TakeSummary[]): (take: TakeSummary) => string {
  const words = new Map(takes.map((take) => [take.id, conditionWords(take)]))
  const shared = [...words.values()].reduce<string[] | null>(
    (common, own) => common?.filter((one) => own.includes(one)) ?? own,
    null,
  )
  return (take) =>
    [
      take.name || 'without a name',
      dateTime(take.started),
      ...(words.get(take.id) ?? conditionWords(take))
        .filter((one) => takes.length < 2 || !shared!.includes(one))
        .slice(0, MOST_DIFFERING),
    ].join(', ')
}

/** All that is known of a take's circumstances, as names and values. */
export function conditionRows({
  conditions,
  started,
  target,
  dropped,
  repaired,
}: TakeSummary): [string, string][] {
  const { version, build, device, scene, seed, load, mode, runtime, probe, recorder, more = {} } = conditions
  const ns = (value: number | undefined) => (value === undefined ? undefined : `${three(value)} ns`)
  const rows: [string, string | undefined][] = [
    ['recorded', dateTime(started)],
    ['target', `${plain(target)} frames a second, ${three(1000 / target)} ms`],
    ['version', version],
    ['build', build],
    ['device', device],
    ['runtime', runtime],
    ['scene', scene],
    ['load', load],
    ['seed', seed === undefined ? undefined : String(seed)],
    ...Object.entries(more).map(([name, value]): [string, string] => [name, String(value)]),
    ['mode', mode === 'bytes' ? 'bytes: times are inflated by the heap reads' : mode],
    ['recorded by', probe],
    ['a span costs', ns(recorder?.spanNs)],
    ['of it inside the span', ns(recorder?.insideNs)],
    ['a clock read costs', ns(recorder?.clockReadNs)],
    ['clock resolution', ns(recorder?.clockResolutionNs)],
    ['a heap read costs', ns(recorder?.heapReadNs)],
    ['frames left out', dropped > 0 ? String(dropped) : undefined],
    ['calls repaired', repaired > 0 ? String(repaired) : undefined],
  ]
  return rows.filter((row): row is [string, string] => row[1] !== undefined && row[1] !== '')
}
