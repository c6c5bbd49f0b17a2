import { Progress } from 'radix-ui'
import type { ReactNode } from 'react'

/**
 * Something long that is under way: what, how far as a bar and in words, and what can be done about it.
 * @param share from 0 to 1; null where it is not known
 */
export function ProgressLine({
  label,
  what,
  share,
  far,
  testId,
  children,
}: {
  label: string
  what: string
  share: number | null
  far: string
  testId?: string
  children: ReactNode
}) {
  return (
    <div
      className="flex items-center gap-4 rounded border border-line bg-leaf px-4 py-2"
      data-testid={testId}
    >
      <span className="w-88 shrink-0 truncate" title={what}>
        {what}
      </span>
      <Progress.Root
        aria-label={label}
        value={share === null ? null : share * 100}
        className="h-2 min-w-24 grow overflow-hidden rounded-full bg-line/60"
      >
        <Progress.Indicator className="h-full bg-work" style={{ width: `${(share ?? 0) * 100}%` }} />
      </Progress.Root>
      <span className="min-w-24 shrink-0 text-right text-faint tabular-nums">{far}</span>
      {children}
    </div>
  )
}
