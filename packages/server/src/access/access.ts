/** Who may come in, where a password is asked for. */
import { createHash, randomBytes, timingSafeEqual } from 'node:crypto'
import { Op } from 'sequelize'
import { EVERY_GAME, type AccessConfig } from '../config.ts'
import type { AllowedGame } from '../ingest/streams.ts'
import { ProblemError } from '../problem-error.ts'
import type { Store } from '../store/store.ts'

export const SESSION_DAYS = 30
const SESSION_MS = SESSION_DAYS * 24 * 3600 * 1000
/** Wrong tries of one address, and of all, within a minute. */
const MOST_OF_ONE = 5
const MOST_OF_ALL = 50
const WINDOW_MS = 60_000

export class Access {
  readonly #store: Store
  readonly #config: AccessConfig | null
  /** Admits the games that this server itself starts. */
  readonly ownKey = randomBytes(24).toString('base64url')

  constructor(store: Store, config: AccessConfig | null) {
    this.#store = store
    this.#config = config
  }

  /** Whether one has to sign in at all. */
  get isNeeded(): boolean {
    return this.#config !== null
  }

  /**
   * Begins a session.
   * @returns what the cookie is to hold
   * @throws ProblemError 401, or 429 after too many wrong tries
   */
  async signIn(password: string, address: string): Promise<string> {
    await this.#checkTries(address)
    if (this.#config === null || !isSame(password, this.#config.password)) {
      await this.#store.signInFailures.create({ address: address.slice(0, 64), at: new Date() })
      throw new ProblemError(401, 'that is not the password', 'password')
    }
    const token = randomBytes(32).toString('base64url')
    const now = Date.now()
    await this.#store.sessions.destroy({ where: { until: { [Op.lt]: new Date(now) } } })
    await this.#store.signInFailures.destroy({ where: { at: { [Op.lt]: new Date(now - WINDOW_MS) } } })
    await this.#store.sessions.create({ tokenHash: hashOf(token), until: new Date(now + SESSION_MS) })
    return token
  }

  async signOut(token: string | undefined): Promise<void> {
    if (token !== undefined) await this.#store.sessions.destroy({ where: { tokenHash: hashOf(token) } })
  }

  async isSignedIn(token: string | undefined): Promise<boolean> {
    if (this.#config === null) return true
    if (token === undefined) return false
    const where = { tokenHash: hashOf(token), until: { [Op.gt]: new Date() } }
    return (await this.#store.sessions.count({ where })) > 0
  }

  /** Whether a program has shown the password. @throws ProblemError 429 after too many wrong tries */
  async isPassword(given: string, address: string): Promise<boolean> {
    if (this.#config === null) return true
    await this.#checkTries(address)
    if (isSame(given, this.#config.password)) return true
    await this.#store.signInFailures.create({ address: address.slice(0, 64), at: new Date() })
    return false
  }

  /** Which games a key admits; undefined for none. */
  gamesOf(key: string | undefined): AllowedGame | undefined {
    if (this.#config === null) return null
    if (key === undefined) return undefined
    if (isSame(key, this.ownKey)) return null
    for (const [game, own] of Object.entries(this.#config.ingestKeys)) {
      if (isSame(key, own)) return game === EVERY_GAME ? null : game
    }
    return undefined
  }

  async #checkTries(address: string): Promise<void> {
    const at = { [Op.gt]: new Date(Date.now() - WINDOW_MS) }
    const [ofAll, ofOne] = await Promise.all([
      this.#store.signInFailures.count({ where: { at } }),
      this.#store.signInFailures.count({ where: { at, address: address.slice(0, 64) } }),
    ])
    if (ofOne >= MOST_OF_ONE || ofAll >= MOST_OF_ALL)
      throw new ProblemError(429, 'too many wrong passwords: try again in a minute', 'password', 60)
  }
}

const hashOf = (token: string): string => createHash('sha256').update(token).digest('hex')

/** In constant time, whatever the lengths. */
const isSame = (a: string, b: string): boolean =>
  timingSafeEqual(createHash('sha256').update(a).digest(), createHash('sha256').update(b).digest())
