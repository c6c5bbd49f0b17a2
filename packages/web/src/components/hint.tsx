import { Tooltip } from 'radix-ui'
import type { ReactNode } from 'react'

/** Explains what it encloses, on hover and on keyboard focus. */
export function Hint({ text, children }: { text: string; children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={6}
          collisionPadding={8}
          className="z-50 max-w-72 rounded border border-line bg-ink px-2.5 py-1.5 text-xs text-paper shadow-md"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  )
}
