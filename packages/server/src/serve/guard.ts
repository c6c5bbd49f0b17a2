/** Which pages and programs may speak to this server at all. */
import type { IncomingMessage } from 'node:http'
import { isIP } from 'node:net'
import { hostname, networkInterfaces } from 'node:os'
import type { Context, Next } from 'koa'
import type { ServerConfig } from '../config.ts'
import { ProblemError } from '../problem-error.ts'
import { HAND_OUT_PATH } from './hand-out.ts'

const LOOPBACK = new Set(['127.0.0.1', 'localhost', '[::1]'])

export type GuardConfig = Pick<ServerConfig, 'access' | 'host' | 'names' | 'extraOrigins'>

export class Guard {
  readonly #config: GuardConfig

  readonly #addresses: () => ReadonlySet<string>

  /** @param addresses of this machine, asked at every request that names one */
  constructor(config: GuardConfig, addresses: () => ReadonlySet<string> = ownAddresses) {
    this.#config = config
    this.#addresses = addresses
  }

  /**
   * Why a request must not be dealt with; null when it may. A page elsewhere could reach this machine under a name
   * of its own, so the Host must be one that is known.
   */
  whyNot({ host, origin }: { host?: string | undefined; origin?: string | undefined }): ProblemError | null {
    if (host === undefined || !this.#isOurs(nameOf(host)))
      return new ProblemError(403, 'the Host header must name this machine', 'Host')
    if (origin === undefined || this.#config.extraOrigins.includes(origin)) return null
    return hostOfOrigin(origin) === host.toLowerCase()
      ? null
      : new ProblemError(403, `pages of ${origin.slice(0, 200)} may not call this server`, 'Origin')
  }

  /** A game's page may come from any port of this machine; with ingest keys, from anywhere. */
  mayStream({ headers: { host, origin } }: IncomingMessage): boolean {
    if (host === undefined || !this.#isOurs(nameOf(host))) return false
    if (origin === undefined || this.#config.access !== null) return true
    const from = hostOfOrigin(origin)
    return from !== null && LOOPBACK.has(nameOf(from))
  }

  #isOurs(name: string): boolean {
    if (LOOPBACK.has(name) || /^127\.\d+\.\d+\.\d+$/.test(name)) return true
    // Others may only come in with a password, and then by what this machine is called.
    const { access, names, host } = this.#config
    if (access === null) return false
    if (name === hostname().toLowerCase() || names.includes(name) || name === nameOf(host)) return true
    const bare = name.replace(/^\[|\]$/g, '')
    return isIP(bare) !== 0 && this.#addresses().has(bare)
  }
}

/** A Host header without its port, addresses in their usual form. */
function nameOf(host: string): string {
  const name = host.replace(/:\d+$/, '').toLowerCase()
  const bracketed = isIP(name) === 6 ? `[${name}]` : name
  return URL.canParse(`http://${bracketed}`) ? new URL(`http://${bracketed}`).hostname : bracketed
}

/** Addresses of this machine's interfaces as they are now: they come and go. */
const ownAddresses = (): Set<string> =>
  new Set(
    Object.values(networkInterfaces()).flatMap((some = []) =>
      some.map(({ address }) => nameOf(address.split('%', 1)[0]!).replace(/^\[|\]$/g, '')),
    ),
  )

/** Host and port of an origin; null for one that is no address, such as "null". */
function hostOfOrigin(origin: string): string | null {
  return URL.canParse(origin) ? new URL(origin).host : null
}

export function guarded(guard: Guard) {
  return async (context: Context, next: Next): Promise<void> => {
    const { host, origin } = context.headers
    // What is handed out is anybody's: pages load it as a module.
    const problem = guard.whyNot({ host, ...(context.path.startsWith(HAND_OUT_PATH) ? {} : { origin }) })
    if (problem !== null) throw problem
    await next()
  }
}
