import { lazy, Suspense, useEffect, useState } from 'react'
import { HINT } from './hint.tsx'

// Nobody waits for what only explains.
const HintTip = lazy(() => import('./hint-tip.tsx'))

const DELAY_MS = 350

/** What is explained now: its words, and where it is in the window. */
interface Shown {
  text: string
  at: DOMRect
}

/** Shows the words of whatever `Hint` is under the pointer or has the keyboard's focus; one for the page. */
export function HintLayer() {
  const shown = useShown()
  return shown === null ? null : (
    <Suspense fallback={null}>
      <HintTip {...shown} />
    </Suspense>
  )
}

function useShown(): Shown | null {
  const [shown, setShown] = useState<Shown | null>(null)
  useEffect(() => {
    let current: Element | null = null
    let timer: ReturnType<typeof setTimeout> | undefined
    const hide = () => {
      clearTimeout(timer)
      setShown(null)
    }
    // Hidden words come back only when something else has been pointed at.
    const show = (element: Element | null, delayMs: number) => {
      if (element === current) return
      current = element
      hide()
      if (element !== null)
        timer = setTimeout(
          () => setShown({ text: element.getAttribute(HINT) ?? '', at: element.getBoundingClientRect() }),
          delayMs,
        )
    }
    const explained = (event: Event) => (event.target as Element).closest(`[${HINT}]`)
    const handlers: { [event: string]: (event: Event) => void } = {
      pointerover: (event) => {
        // The words stay while the pointer is on them.
        if ((event.target as Element).closest('[data-hint-tip]') === null) show(explained(event), DELAY_MS)
      },
      focusin: (event) => {
        if ((event.target as Element).matches(':focus-visible')) show(explained(event), 0)
      },
      focusout: () => show(null, 0),
      pointerdown: hide,
      scroll: hide,
      keydown: (event) => (event as KeyboardEvent).key === 'Escape' && hide(),
    }
    const listening = new AbortController()
    for (const [name, handler] of Object.entries(handlers))
      document.addEventListener(name, handler, { capture: true, signal: listening.signal })
    return () => {
      listening.abort()
      clearTimeout(timer)
    }
  }, [])
  return shown
}
