import type { ErrorInfo } from 'react'
import { Boundary, LOAD_AGAIN, wordsOf } from '../components/boundary.tsx'
import { notify, useNotices } from '../state/notices.ts'

/** Tells in a notice of what broke where nothing else says so. */
export function tellBroken(error: unknown, { errorBoundary }: ErrorInfo & { errorBoundary?: unknown }): void {
  console.error(error)
  if (!(errorBoundary instanceof Boundary) || errorBoundary.says) return
  const { title, why } = wordsOf(error as Error)
  const text = `${title}. ${why}`
  // Menus come by the dozen.
  if (useNotices.getState().notices.some((notice) => notice.text === text)) return
  notify(text, LOAD_AGAIN)
}
