import { createContext, useContext, useEffect, useState, type ReactNode } from 'react'

/** A table that is on the screen. */
interface ShownTable {
  label: string
  /** All its rows as they are shown. */
  csv(): Promise<string>
}

/** A picture that is on the screen. */
export interface ShownPicture {
  label: string
  canvas: HTMLCanvasElement
  svg(): Promise<string>
}

/** What of the screen can be taken along. */
class Shown {
  readonly tables = new Set<ShownTable>()
  readonly pictures = new Set<ShownPicture>()
}

const ShownContext = createContext<Shown | null>(null)

/** The screen whose tables and pictures tell of themselves. */
export function Screen({ children }: { children: ReactNode }) {
  const [shown] = useState(() => new Shown())
  return <ShownContext value={shown}>{children}</ShownContext>
}

/** @throws Error outside of a Screen */
export function useShown(): Shown {
  const shown = useContext(ShownContext)
  if (shown === null) throw new Error('there is no Screen around')
  return shown
}

/** Tells that a table is on the screen, as long as it is. */
export function useShownTable(label: string, csv: () => Promise<string>): void {
  const { tables } = useShown()
  useEffect(() => {
    const table = { label, csv }
    tables.add(table)
    return () => void tables.delete(table)
  })
}

/** The same of a picture, once there is a canvas. */
export function useShownPicture(
  label: string | undefined,
  canvas: { current: HTMLCanvasElement | null },
  svg: () => Promise<string>,
): void {
  const { pictures } = useShown()
  useEffect(() => {
    if (canvas.current === null || label === undefined) return
    const picture = { label, canvas: canvas.current, svg }
    pictures.add(picture)
    return () => void pictures.delete(picture)
  })
}
