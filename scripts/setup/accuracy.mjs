/** What each flaw of the demo game should be found as, and the words of docs/accuracy.md. */
import { table, three } from './words.mjs'

/**
 * Kind of the finding, and markers of which one must be in its path; bytes: only seen with mode bytes; args: a load of its
 * own, where on a quick machine the usual one is at the edge of what is worth telling.
 */
export const FLAW_FINDINGS = {
  'letter-churn': { kind: 'spawn-churn', markers: ['letter.admit', 'letter.address'], bytes: true },
  'roost-awake': { kind: 'needless-updates', markers: ['moth.update'] },
  'lantern-all-pairs': { kind: 'all-pairs', markers: ['lantern.measure'] },
  'tally-rebuild': { kind: 'polling', markers: ['tally.text'] },
  'belt-retest': { kind: 'repeated-check', markers: ['belt.test'] },
  'name-search': { kind: 'lookup-in-update', markers: ['lantern.find'] },
  'route-burst': { kind: 'spike-family', markers: ['routes.replan'] },
  'roll-call-nested': { kind: 'spike-family', markers: ['roll.call'] },
  'vector-churn': { kind: 'steady-allocation', markers: ['moth.steer'], bytes: true },
  'step-pileup': { kind: 'catch-up', markers: ['mechanics.step'] },
  'dead-letters': { kind: 'growth', markers: ['dead.look'] },
  'lock-step': { kind: 'lock-step', markers: ['dust.sweep', 'audit.count'] },
  'moth-objects': { kind: 'hotspot', markers: ['wing.beat'], args: ['--moths', '320'] },
}

/** Whether a finding is the one that a flaw should be found as. */
export function isFoundBy(flaw, { kind, path }) {
  const wanted = FLAW_FINDINGS[flaw]
  return kind === wanted.kind && path.some((name) => wanted.markers.includes(name))
}

/** Kinds that stand for some flaw: what is found of them in a night without flaws is a false alarm. */
const FLAW_KINDS = new Set(Object.values(FLAW_FINDINGS).map(({ kind }) => kind))

/** What is told of a night without flaws, above 1 % of the budget, as if it had one. */
export const falseAlarmsOf = (findings) =>
  findings.filter(({ kind, small, trouble }) => FLAW_KINDS.has(kind) && !small && trouble !== 'machine')

const falseAlarmRows = (nights) =>
  nights.flatMap(({ seed, bytes, findings }) =>
    falseAlarmsOf(findings).map(({ kind, text }) => [seed, bytes ? 'bytes' : 'timing', kind, text]),
  )

/** How often each kind was told that stands for no flaw. */
const otherKinds = (nights) => {
  const kinds = nights.flatMap(({ findings }) =>
    findings.filter(({ kind, small }) => !FLAW_KINDS.has(kind) && !small).map(({ kind }) => kind),
  )
  const counts = [...new Set(kinds)].map(
    (kind) => `${kind} ${kinds.filter((other) => other === kind).length} ×`,
  )
  return counts.join(', ') || 'none'
}

/** @param machines each the machine in words and its nights, each with seed, bytes, frames, findings and spikes */
export function cleanSection(machines, seconds) {
  const spread = (numbers) => {
    const sorted = [...numbers].sort((a, b) => a - b)
    return `${three(sorted[Math.floor(sorted.length / 2)])} ms (${three(sorted[0])} to ${three(sorted.at(-1))})`
  }
  return [
    '## Nights without flaws',
    '',
    `Each night lasts ${seconds} s and has a seed of its own; every second one is played with mode \`bytes\`. A false alarm is a finding above 1 % of the budget, of a kind that stands for some flaw.`,
    '',
    ...table(
      [
        'machine',
        'nights',
        'false alarms',
        'median frame: half of the nights, least to most',
        'p99',
        'other findings',
      ],
      machines.map(([machine, nights]) => [
        machine,
        nights.length,
        falseAlarmRows(nights).length,
        spread(nights.map(({ frames }) => frames.work.p50)),
        spread(nights.map(({ frames }) => frames.work.p99)),
        otherKinds(nights),
      ]),
    ),
    '',
    ...machines.flatMap(([machine, nights]) => {
      const rows = falseAlarmRows(nights)
      return rows.length === 0
        ? []
        : [`${machine}:`, '', ...table(['seed', 'mode', 'kind', 'text'], rows), '']
    }),
  ]
}

/** @param runs each with name, seed, bytes, frames, findings and spikes, as `inspect --json` gives them */
export function findingsSection(runs, { seeds, seconds, machine }) {
  const of = (name, bytes) => runs.filter((run) => run.name === name && run.bytes === bytes)
  const times = (list, flaw) => {
    const found = list.filter(({ findings }) => findings.some((one) => isFoundBy(flaw, one)))
    const shown = found.filter(({ findings }) => findings.some((one) => isFoundBy(flaw, one) && !one.small))
    const small = found.length - shown.length
    return `${found.length} of ${list.length}${small > 0 ? `, ${small} of these below 1 % of the budget` : ''}`
  }
  const flaws = Object.entries(FLAW_FINDINGS)
  const aloneShare = (all) => {
    const nights = all.flatMap(([flaw, { bytes = false }]) => of(flaw, bytes).map((run) => [flaw, run]))
    const found = nights.filter(([flaw, { findings }]) => findings.some((one) => isFoundBy(flaw, one)))
    return `${found.length} of ${nights.length}, ${three(found.length / nights.length)}`
  }
  const clean = [...of('none', false), ...of('none', true)]
  const falseAlarms = falseAlarmRows(clean)
  const misses = flaws.flatMap(([flaw, { bytes = false, markers }]) =>
    of(flaw, bytes)
      .filter(({ findings }) => !findings.some((one) => isFoundBy(flaw, one)))
      .map(({ seed, findings }) => {
        const told = findings.filter(({ path }) => path.some((name) => markers.includes(name)))
        return [seed, flaw, told.map(({ kind, text }) => `${kind}: ${text}`).join(' ') || 'nothing']
      }),
  )
  return [
    `## ${machine}`,
    '',
    '### Found and missed',
    '',
    `Each flaw is played alone and together with all others, ${seconds} s a night, seeds ${seeds.join(', ')}; the two that allocate are played with mode \`bytes\`, without which nobody can tell who allocates.`,
    '',
    `Found alone: ${aloneShare(flaws)}.`,
    '',
    ...table(
      ['flaw', 'should be found as', 'at', 'alone', 'with all flaws'],
      flaws.map(([flaw, { kind, markers, bytes = false }]) => [
        flaw,
        kind,
        markers.join(' or '),
        times(of(flaw, bytes), flaw),
        times(of('all', bytes), flaw),
      ]),
    ),
    '',
    ...(misses.length === 0 ? [] : [...table(['seed', 'missed alone', 'told instead'], misses), '']),
    '### False alarms',
    '',
    `Nights without any flaw: ${clean.length}. Findings above 1 % of the budget, of a kind that stands for some flaw: ${falseAlarms.length}.`,
    '',
    ...(falseAlarms.length === 0 ? [] : [...table(['seed', 'mode', 'kind', 'text'], falseAlarms), '']),
    `Findings of other kinds in these nights: ${otherKinds(clean)}. They are about the machine and the runtime, not the game: a collection does pause a frame, and a busy machine does wake the game late.`,
    '',
    '### How busy the machine was',
    '',
    'The same night takes longer on a machine that does other things as well. Median and 99th percentile of the work of a frame, and spikes, by night:',
    '',
    ...table(
      ['night', ...seeds.map((seed) => `seed ${seed}: p50, p99, spikes`)],
      [...new Set(runs.map(({ name, bytes }) => `${name}${bytes ? ' (bytes)' : ''}`))].map((label) => [
        label,
        ...seeds.map((seed) => {
          const run = runs.find(
            (one) => one.seed === seed && `${one.name}${one.bytes ? ' (bytes)' : ''}` === label,
          )
          return run === undefined
            ? '–'
            : `${three(run.frames.work.p50)} ms, ${three(run.frames.work.p99)} ms, ${run.spikes}`
        }),
      ]),
    ),
    '',
  ]
}
