import { Tooltip } from 'radix-ui'

/**
 * The words of a hint: see hint-layer.tsx.
 * @param at what they explain, in the window
 */
export default function HintTip({ text, at }: { text: string; at: DOMRect }) {
  const { left, top, width, height } = at
  return (
    <Tooltip.Provider>
      <Tooltip.Root open>
        <Tooltip.Trigger asChild>
          <span aria-hidden className="pointer-events-none fixed" style={{ left, top, width, height }} />
        </Tooltip.Trigger>
        <Tooltip.Portal>
          <Tooltip.Content
            data-hint-tip
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
