/** The pages besides the library, and their addresses. Whoever looks for a take does not wait for what shows one. */
import type { ComponentType } from 'react'
import { matchPath } from 'react-router'
import { framesAt, takeAt } from './api/http.ts'
import { later, type Later } from './components/later.tsx'

interface PageAddress {
  /** As routes are written. */
  path: string
  Page: Later<object>
  /** What it asks of the server first, by the parts of its address that have a name. */
  asks(parts: Record<string, string | undefined>): string[]
}

const page = (
  path: string,
  load: () => Promise<ComponentType>,
  asks: PageAddress['asks'] = () => [],
): PageAddress => ({ path, Page: later(load), asks })

export const PAGES = [
  page(
    '/takes/:take',
    async () => (await import('./workbench/workbench.tsx')).Workbench,
    ({ take = '' }) => [takeAt(take), framesAt(take)],
  ),
  page('/compare', async () => (await import('./compare/compare-page.tsx')).ComparePage),
  page('/check', async () => (await import('./check/check-page.tsx')).CheckPage),
  page('/game', async () => (await import('./game/game-page.tsx')).GamePage),
  page('/record', async () => (await import('./record-own/record-page.tsx')).RecordPage),
]

/**
 * Fetches the code of the page at an address, and meanwhile what it will ask. Resolves when it can be shown, or cannot be
 * had: whoever shows it says so.
 */
export async function fetchPage(pathname: string): Promise<void> {
  for (const { path, Page, asks } of PAGES) {
    const found = matchPath(path, pathname)
    if (found === null) continue
    asks(found.params).forEach(fetchAhead)
    await Page.fetch().catch(() => {})
  }
}

/** The next request for this path is answered with what comes now. */
function fetchAhead(path: string): void {
  const link = document.createElement('link')
  Object.assign(link, { rel: 'preload', as: 'fetch', href: path, crossOrigin: 'anonymous' })
  document.head.append(link)
}
