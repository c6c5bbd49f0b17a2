import type { Verdict } from '@lapsus/core/compare'

interface BarProps {
  difference: number
  low: number
  high: number
  /** What half of the width stands for. */
  most: number
  verdict: Verdict
}

const WIDTH = 200
const HEIGHT = 16

/** A difference about zero with its interval, where it has one: filled where it is sure, hollow where it is not. */
export function DifferenceBar({ difference, low, high, most, verdict }: BarProps) {
  const xOf = (value: number) => {
    const part = most > 0 ? Math.max(-1, Math.min(1, value / most)) : 0
    return WIDTH / 2 + part * (WIDTH / 2 - 4)
  }
  const [zero, at] = [xOf(0), xOf(Number.isFinite(difference) ? difference : 0)]
  const isSure = verdict === 'better' || verdict === 'worse'
  const colour = verdict === 'worse' ? 'var(--color-alarm)' : 'var(--color-work)'
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block h-4 w-full"
      preserveAspectRatio="none"
      aria-hidden="true"
    >
      <rect
        x={Math.min(zero, at)}
        y={2}
        width={Math.max(1, Math.abs(at - zero))}
        height={6}
        fill={isSure ? colour : 'none'}
        stroke={isSure ? colour : 'var(--color-faint)'}
        vectorEffect="non-scaling-stroke"
      />
      <line
        x1={zero}
        x2={zero}
        y1={0}
        y2={HEIGHT}
        stroke="var(--color-ink)"
        vectorEffect="non-scaling-stroke"
      />
      {Number.isFinite(low) && Number.isFinite(high) && (
        <path
          d={`M${xOf(low)} 9 V14 M${xOf(low)} 11.5 H${xOf(high)} M${xOf(high)} 9 V14`}
          stroke="var(--color-ink)"
          fill="none"
          vectorEffect="non-scaling-stroke"
        />
      )}
    </svg>
  )
}
