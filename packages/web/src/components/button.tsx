import type { ButtonHTMLAttributes, ReactNode } from 'react'
import { Hint } from './hint.tsx'

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  strong?: boolean
}

/** A button with words on it. */
export function Button({ strong = false, className = '', ...rest }: ButtonProps) {
  const look = strong ? 'bg-ink text-paper hover:opacity-90' : 'border border-line bg-leaf hover:border-faint'
  return (
    <button
      type="button"
      className={`inline-flex h-8 items-center gap-1.5 rounded px-3 font-medium disabled:opacity-45 ${look} ${className}`}
      {...rest}
    />
  )
}

interface IconButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  /** What it does: name for screen readers, and hint. */
  label: string
  children: ReactNode
}

/** A button with only a picture on it. */
export function IconButton({ label, className = '', ...rest }: IconButtonProps) {
  return (
    <Hint text={label}>
      <button
        type="button"
        aria-label={label}
        className={`inline-flex size-7 items-center justify-center rounded text-faint hover:bg-line/60 hover:text-ink disabled:opacity-40 ${className}`}
        {...rest}
      />
    </Hint>
  )
}
