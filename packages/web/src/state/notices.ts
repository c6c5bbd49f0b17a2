import { create } from 'zustand'

export interface Notice {
  id: number
  text: string
  action: { label: string; run: () => void } | null
}

interface Notices {
  notices: Notice[]
  /** How many there have been. */
  count: number
}

/** Short messages that go by themselves. */
export const useNotices = create<Notices>()(() => ({ notices: [], count: 0 }))

const STAYS_MS = 8_000

export function notify(text: string, action: Notice['action'] = null): void {
  const { notices, count } = useNotices.getState()
  const notice = { id: count, text, action }
  useNotices.setState({ notices: [...notices, notice], count: count + 1 })
  setTimeout(() => dismiss(notice.id), STAYS_MS)
}

export function dismiss(id: number): void {
  useNotices.setState(({ notices }) => ({ notices: notices.filter((notice) => notice.id !== id) }))
}
