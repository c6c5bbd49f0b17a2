import { lazy, Suspense, useRef, type ReactNode } from 'react'
import { Boundary } from './boundary.tsx'

const WindowFrame = lazy(() => import('./window-frame.tsx'))

export interface WindowProps {
  title: string
  /** One sentence under the title. */
  about: string
  open: boolean
  onOpenChange(open: boolean): void
  children: ReactNode
}

/** A dialog over the page; comes when it is first opened. */
export function Window(props: WindowProps) {
  return (
    <Boundary instead={null}>
      <Suspense fallback={null}>
        <LastingFrame {...props} />
      </Suspense>
    </Boundary>
  )
}

/** Not there before it is opened; then it stays, so that the focus goes back where it was when it is closed. */
function LastingFrame(props: WindowProps) {
  const wasOpen = useRef(false)
  wasOpen.current ||= props.open
  return wasOpen.current ? <WindowFrame {...props} /> : null
}
