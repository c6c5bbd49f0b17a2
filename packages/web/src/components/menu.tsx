import { DropdownMenu } from 'radix-ui'
import { ChevronDown } from 'lucide-react'
import type { ReactNode } from 'react'

export interface MenuItem {
  label: string
  run?: () => void
  /** An address to go to, or a file to save, instead. */
  href?: string
}

interface MenuProps {
  label: string
  picture: ReactNode
  items: MenuItem[]
  disabled?: boolean
  /** Only the picture shows; the label is its name. */
  small?: boolean
}

/** A button that opens a short list of things to do. */
export function Menu({ label, picture, items, disabled = false, small = false }: MenuProps) {
  const look = small
    ? 'size-7 justify-center text-faint hover:bg-line/60 hover:text-ink'
    : 'h-8 gap-1.5 border border-line bg-leaf px-3 font-medium hover:border-faint'
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={label}
        title={small ? label : undefined}
        disabled={disabled}
        className={`inline-flex items-center rounded whitespace-nowrap disabled:opacity-45 ${look}`}
      >
        {picture}
        {!small && (
          <>
            {label} <ChevronDown size={13} />
          </>
        )}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-50 max-h-96 overflow-y-auto rounded border border-line bg-leaf p-1 shadow-lg"
        >
          {items.map(({ label: words, run, href }, i) => (
            <DropdownMenu.Item
              key={`${i} ${words}`}
              onSelect={() => run?.()}
              asChild={href !== undefined}
              className="block cursor-pointer rounded px-3 py-1 outline-none data-[highlighted]:bg-line/60"
            >
              {href === undefined ? (
                words
              ) : (
                <a href={href} download>
                  {words}
                </a>
              )}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
