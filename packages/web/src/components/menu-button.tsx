import { ChevronDown } from 'lucide-react'
import type { ComponentProps, ReactNode } from 'react'

export interface MenuItem {
  label: string
  run?: () => void
  /** An address to go to, or a file to save, instead. */
  href?: string
}

export interface MenuProps {
  label: string
  picture: ReactNode
  /** A function for what is only known when the list is opened. */
  items: MenuItem[] | (() => MenuItem[])
  disabled?: boolean
  /** Only the picture shows; the label is its name. */
  small?: boolean
}

/** @param rest what a list gives its button to open it */
export function MenuButton({
  label,
  picture,
  disabled = false,
  small = false,
  ...rest
}: Omit<MenuProps, 'items'> & Omit<ComponentProps<'button'>, 'children'>) {
  const look = small
    ? 'size-7 justify-center text-faint hover:bg-line/60 hover:text-ink'
    : 'h-8 gap-1.5 border border-line bg-leaf px-3 font-medium hover:border-faint'
  return (
    <button
      type="button"
      aria-label={label}
      title={small ? label : undefined}
      disabled={disabled}
      className={`inline-flex items-center rounded whitespace-nowrap disabled:opacity-45 ${look}`}
      {...rest}
    >
      {picture}
      {!small && (
        <>
          {label} <ChevronDown size={13} />
        </>
      )}
    </button>
  )
}
