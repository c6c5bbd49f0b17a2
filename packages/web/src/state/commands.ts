/** What the keyboard asks of views that keep their own scale. */

class Commands<T> {
  readonly #listeners = new Set<(command: T) => void>()

  /** Returns what ends the subscription. */
  readonly on = (listener: (command: T) => void): (() => void) => {
    this.#listeners.add(listener)
    return () => void this.#listeners.delete(listener)
  }

  readonly send = (command: T): void => this.#listeners.forEach((listener) => listener(command))
}

const page = new Commands<'up' | 'down' | 'in' | 'out' | 'fit'>()
export const onPageCommand = page.on
export const sendPageCommand = page.send

const strip = new Commands<'in' | 'out' | 'all'>()
export const onStripCommand = strip.on
export const sendStripCommand = strip.send
