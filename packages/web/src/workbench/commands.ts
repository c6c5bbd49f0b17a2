/** What the keyboard asks of the page view, which keeps its own scale. */
export type PageCommand = 'up' | 'down' | 'in' | 'out' | 'fit'

const listeners = new Set<(command: PageCommand) => void>()

/** Returns what ends the subscription. */
export function onPageCommand(listener: (command: PageCommand) => void): () => void {
  listeners.add(listener)
  return () => void listeners.delete(listener)
}

export const sendPageCommand = (command: PageCommand): void =>
  listeners.forEach((listener) => listener(command))
