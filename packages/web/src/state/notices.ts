import { create } from 'zustand'

export interface Notice {
  id: number
  text: string
  action: { label: string; run: () => void } | null
}

/** Short messages that go by themselves. */
export const useNotices = create<{ notices: Notice[] }>()(() => ({ notices: [] }))

const STAYS_MS = 8_000
let last = 0

export function notify(text: string, action: Notice['action'] = null): void {
  const notice = { id: ++last, text, action }
  useNotices.setState(({ notices }) => ({ notices: [...notices, notice] }))
  setTimeout(() => dismiss(notice.id), STAYS_MS)
}

export function dismiss(id: number): void {
  useNotices.setState(({ notices }) => ({ notices: notices.filter((notice) => notice.id !== id) }))
}
