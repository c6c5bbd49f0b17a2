import { lazy, useState, type ComponentType } from 'react'

export type Later<P> = ComponentType<P> & {
  /** Resolves when the code is here. */
  fetch(): Promise<void>
}

/**
 * A component whose code comes when it is wanted. If it is here when the component is first shown, that is shown at once.
 * Otherwise the Suspense around it shows its words meanwhile, and then for 300 ms, so that they do not flicker.
 */
export function later<P extends object>(load: () => Promise<ComponentType<P>>): Later<P> {
  let known: ComponentType<P> | null = null
  const Awaited = lazy(async () => ({ default: await load() }))
  function Later(props: P) {
    // What is shown stays what it is.
    const [Shown] = useState<ComponentType<P>>(() => known ?? Awaited)
    return <Shown {...props} />
  }
  return Object.assign(Later, {
    async fetch() {
      known = await load()
    },
  })
}
