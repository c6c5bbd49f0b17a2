/** A small curve of the latest values. */
export function Sparkline({ values }: { values: readonly number[] }) {
  const low = Math.min(...values)
  const high = Math.max(...values)
  const y = (value: number) => (high === low ? 9 : 16 - ((value - low) / (high - low)) * 14)
  const points = values.map((value, i) => `${(i / Math.max(1, values.length - 1)) * 100},${y(value)}`)
  return (
    <svg viewBox="0 0 100 18" preserveAspectRatio="none" className="h-4.5 w-24" aria-hidden>
      <polyline
        points={points.join(' ')}
        fill="none"
        stroke="var(--work)"
        strokeWidth={1.5}
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  )
}
