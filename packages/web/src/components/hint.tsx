import { lazy, Suspense, type ReactNode } from 'react'

// Nobody waits for what only explains: until it has come, there is what it encloses.
const HintTip = lazy(() => import('./hint-tip.tsx'))

/** Explains what it encloses, on hover and on keyboard focus. */
export function Hint({ text, children }: { text: string; children: ReactNode }) {
  return (
    <Suspense fallback={children}>
      <HintTip text={text}>{children}</HintTip>
    </Suspense>
  )
}
