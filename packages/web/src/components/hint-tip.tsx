import { Tooltip } from 'radix-ui'
import type { ReactNode } from 'react'

const DELAY_MS = 350

/** What a hint opens: see hint.tsx. */
export default function HintTip({ text, children }: { text: string; children: ReactNode }) {
  return (
    <Tooltip.Provider delayDuration={DELAY_MS}>
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
    </Tooltip.Provider>
  )
}
