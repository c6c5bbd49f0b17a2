import { useEffect, useState } from 'react'

/** Colours of the page, as the drawing code needs them. */
export interface Palette {
  paper: string
  leaf: string
  ink: string
  faint: string
  line: string
  work: string
  workSoft: string
  wait: string
  collect: string
  alarm: string
  pick: string
}

function readPalette(): Palette {
  const style = getComputedStyle(document.documentElement)
  const colour = (name: string) => style.getPropertyValue(name).trim()
  return {
    paper: colour('--paper'),
    leaf: colour('--leaf'),
    ink: colour('--ink'),
    faint: colour('--faint'),
    line: colour('--line'),
    work: colour('--work'),
    workSoft: colour('--work-soft'),
    wait: colour('--wait'),
    collect: colour('--collect'),
    alarm: colour('--alarm'),
    pick: colour('--pick'),
  }
}

/** The colours of the page, also after it turned light or dark. */
export function usePalette(): Palette {
  const [palette, setPalette] = useState(readPalette)
  useEffect(() => {
    const changed = () => setPalette(readPalette())
    window.addEventListener('lapsus-theme', changed)
    return () => window.removeEventListener('lapsus-theme', changed)
  }, [])
  return palette
}
