/** Markers around methods that are there already, put in while the game runs. */
export interface Marking {
  /** @returns its handle */
  marker(name: string): number
  enter(marker: number): void
  leave(): void
  /** Told of names that are no methods. */
  note(what: string, about: string): void
}

/** What was put around a method, so that none is marked twice. */
const marked = new WeakSet<object>()

/**
 * Puts a run of a marker around methods of an object, or of all of a class by its prototype; named as the code is,
 * `Class.method`. What they are given and give, what they throw, `this` and `new.target` pass through. A run of an
 * async function ends where it first gives its thread away. Generators are left as they are: a call of one does nothing.
 * @returns takes the markers out again
 */
export function markMethods(marking: Marking, target: object, names: readonly string[]): () => void {
  const undo: (() => void)[] = []
  for (const name of names) {
    const about = `${nameOf(target)}.${name}`.slice(0, 200)
    const holder = holderOf(target, name)
    const found = holder === null ? undefined : Object.getOwnPropertyDescriptor(holder, name)
    const method: unknown = found?.value
    const canBe = found?.writable === true && typeof method === 'function' && !isGenerator(method)
    if (!canBe || (holder !== target && !Object.isExtensible(target))) {
      marking.note('names of methods to mark are none', about)
      continue
    }
    if (marked.has(method as object)) continue
    const around = wrapped(marking, marking.marker(about), method as Method)
    Object.defineProperty(target, name, { ...found, value: around })
    undo.push(() => {
      // Whoever has put something else there since then keeps it.
      if ((target as Record<string, unknown>)[name] !== around) return
      if (holder === target) Object.defineProperty(target, name, found)
      else delete (target as Record<string, unknown>)[name]
    })
  }
  return () => undo.splice(0).forEach((one) => one())
}

type Method = (this: unknown, ...given: unknown[]) => unknown

function wrapped(marking: Marking, marker: number, method: Method): Method {
  const around = function (this: unknown, ...given: unknown[]): unknown {
    marking.enter(marker)
    try {
      return new.target === undefined
        ? Reflect.apply(method, this, given)
        : Reflect.construct(method, given, new.target)
    } finally {
      marking.leave()
    }
  }
  for (const key of ['name', 'length'] as const)
    Object.defineProperty(around, key, { value: method[key], configurable: true })
  if (method.prototype !== undefined) around.prototype = method.prototype as unknown
  // What hangs on the function is found on the one around it.
  Object.setPrototypeOf(around, method)
  marked.add(around)
  return around
}

/** The object, or the first behind it, that has such a property. */
function holderOf(target: object, name: string): object | null {
  let at: object | null = target
  while (at !== null && !Object.hasOwn(at, name)) at = Object.getPrototypeOf(at) as object | null
  return at
}

function nameOf(target: object): string {
  if (typeof target === 'function') return target.name || 'function'
  const { constructor } = target as { constructor?: { name?: unknown } }
  return typeof constructor?.name === 'string' && constructor.name !== '' ? constructor.name : 'object'
}

const isGenerator = (method: unknown): boolean =>
  /^(Async)?GeneratorFunction$/.test(Object.prototype.toString.call(method).slice(8, -1))
