import type { ReactNode } from 'react'

/** What a view says instead of its contents: loading, empty, failed. */
export function Words({
  title,
  children,
  alarm = false,
}: {
  title: string
  children?: ReactNode
  alarm?: boolean
}) {
  return (
    <div
      role={alarm ? 'alert' : undefined}
      className="flex h-full flex-col items-center justify-center gap-2 p-8 text-center"
    >
      <p className={`font-serif text-lg ${alarm ? 'text-alarm' : ''}`}>{title}</p>
      {children !== undefined && <div className="max-w-md text-faint">{children}</div>}
    </div>
  )
}
