/** Who may come in, where a password is asked for. */
import { createHash, createHmac, randomBytes, scrypt, timingSafeEqual } from 'node:crypto'
import { promisify } from 'node:util'
import type { SessionInfo } from '@lapsus/api'
import { Op } from 'sequelize'
import { EVERY_GAME, type AccessConfig } from '../config.ts'
import { ProblemError } from '../problem-error.ts'
import type { Store } from '../store/store.ts'
import { TooManyTries, Tries } from './tries.ts'
import { WrongKeys } from './wrong-keys.ts'

export const SESSION_DAYS = 30
/** A browser that was right is known for so long. */
export const DEVICE_DAYS = 365
const DAY_MS = 24 * 3_600_000
/** When a session was used last is written down so often. */
const SEEN_EVERY_MS = 60_000
const SECRET = 'sign-in'

/** Which games may record with a key; `game` is null for any. */
export interface Allowed {
  game: string | null
}

/** Who signs in, and from where. */
export interface Visitor {
  address: string
  /** What its browser says of itself. */
  agent: string
  /** What its cookie of an earlier sign-in holds, if it has one. */
  device: string | undefined
}

export class Access {
  readonly #store: Store
  readonly #config: AccessConfig | null
  /** Of the password as it is now: what was given for another one holds no longer. */
  readonly #passwordMark: string
  readonly #tries: Tries
  readonly #wrongKeys = new WrongKeys()
  /** Admits the games that this server itself starts. */
  readonly ownKey: string

  private constructor(store: Store, config: AccessConfig | null, passwordMark: string, ownKey: string) {
    this.ownKey = ownKey
    this.#store = store
    this.#config = config
    this.#passwordMark = passwordMark
    this.#tries = new Tries(store)
  }

  /** Ends sessions that were begun with another password. */
  static async open(store: Store, config: AccessConfig | null): Promise<Access> {
    if (config === null) return new Access(store, null, '', newToken())
    const secret = await secretOf(store)
    const mark = await markOf(config.password, secret)
    const others = { where: { passwordMark: { [Op.ne]: mark } } }
    await store.sessions.destroy(others)
    await store.devices.destroy(others)
    // The same after a restart, and of every server: what their games have left is let in.
    const ownKey = createHmac('sha256', secret).update('own games').digest('base64url')
    return new Access(store, config, mark, ownKey)
  }

  /** Whether one has to sign in at all. */
  get isNeeded(): boolean {
    return this.#config !== null
  }

  /**
   * Begins a session.
   * @returns what the cookies are to hold: of the session, and of the browser from now on
   * @throws ProblemError 401, or 429 after too many wrong tries
   */
  async signIn(password: string, visitor: Visitor): Promise<{ session: string; device: string }> {
    const known = await this.#knownDevice(visitor.device)
    if (!(await this.#isPassword(password, visitor.address, known)))
      throw new ProblemError(401, 'that is not the password', 'password')
    const [session, device] = [newToken(), newToken()]
    const now = Date.now()
    const mark = { passwordMark: this.#passwordMark }
    await this.#forgetOld(now)
    await this.#store.sessions.create({
      ...{ tokenHash: hashOf(session), ...mark, until: new Date(now + SESSION_DAYS * DAY_MS) },
      ...{ began: new Date(now), seenAt: new Date(now) },
      ...{ address: visitor.address.slice(0, 64), agent: visitor.agent.slice(0, 200) },
    })
    if (known !== null) await this.#store.devices.destroy({ where: { tokenHash: known } })
    await this.#store.devices.create({
      ...{ tokenHash: hashOf(device), ...mark, until: new Date(now + DEVICE_DAYS * DAY_MS) },
    })
    return { session, device }
  }

  async signOut(token: string | undefined): Promise<void> {
    if (token !== undefined) await this.#store.sessions.destroy({ where: { tokenHash: hashOf(token) } })
  }

  async signOutEverywhere(): Promise<void> {
    await this.#store.sessions.destroy({ where: {} })
  }

  /** @returns whether there was one of that id */
  async endSession(id: string): Promise<boolean> {
    return (await this.#store.sessions.destroy({ where: { tokenHash: id } })) > 0
  }

  /** The last used first. @param token of who asks */
  async sessions(token: string | undefined): Promise<SessionInfo[]> {
    const own = token === undefined ? null : hashOf(token)
    const rows = await this.#store.sessions.findAll({
      where: this.#valid(),
      order: [['seenAt', 'DESC']],
      raw: true,
    })
    return rows.map(({ tokenHash, began, seenAt, until, address, agent }) => ({
      ...{ id: tokenHash, began: began.toISOString(), seenAt: seenAt.toISOString() },
      ...{ until: until.toISOString(), address, agent, isThis: tokenHash === own },
    }))
  }

  async isSignedIn(token: string | undefined): Promise<boolean> {
    if (this.#config === null) return true
    if (token === undefined) return false
    const tokenHash = hashOf(token)
    const row = await this.#store.sessions.findOne({ where: { tokenHash, ...this.#valid() }, raw: true })
    if (row === null) return false
    const now = Date.now()
    if (now - row.seenAt.getTime() > SEEN_EVERY_MS)
      await this.#store.sessions.update({ seenAt: new Date(now) }, { where: { tokenHash } })
    return true
  }

  /** What a program shows. @throws ProblemError 401, or 429 after too many wrong tries */
  async checkPassword(given: string, address: string): Promise<void> {
    if (this.#config === null || (await this.#isPassword(given, address, null))) return
    throw new ProblemError(401, 'that is not the password')
  }

  /**
   * Which games a key admits. A right one is let in whatever was tried before.
   * @throws ProblemError 401 for none or a wrong one, which is answered the later the more of them came
   */
  async games(key: string | undefined, address: string): Promise<Allowed> {
    const allowed = this.#gamesOf(key)
    if (allowed !== undefined) return allowed
    if (key === undefined) throw new NoKey()
    await this.#wrongKeys.wait(address)
    throw new WrongKey()
  }

  /** Whether a key admits a game, without counting it as a try. */
  admits(key: string | undefined, game: string): boolean {
    const allowed = this.#gamesOf(key)
    return allowed !== undefined && (allowed.game === null || allowed.game === game)
  }

  #gamesOf(key: string | undefined): Allowed | undefined {
    if (this.#config === null) return { game: null }
    if (key === undefined) return undefined
    if (isSame(key, this.ownKey)) return { game: null }
    for (const [game, own] of Object.entries(this.#config.ingestKeys)) {
      if (isSame(key, own)) return { game: game === EVERY_GAME ? null : game }
    }
    return undefined
  }

  async #isPassword(given: string, address: string, device: string | null): Promise<boolean> {
    const { password } = this.#config!
    try {
      return await this.#tries.take(address, device, () => isSame(given, password))
    } catch (error) {
      if (!(error instanceof TooManyTries)) throw error
      const { waitS } = error
      throw new ProblemError(
        429,
        `too many wrong passwords: try again in ${waitS === 1 ? 'a second' : `${waitS} seconds`}`,
        'password',
        waitS,
      )
    }
  }

  #valid() {
    return { passwordMark: this.#passwordMark, until: { [Op.gt]: new Date() } }
  }

  /** @returns the hash of the token; null for one that nobody was given */
  async #knownDevice(token: string | undefined): Promise<string | null> {
    if (token === undefined) return null
    const tokenHash = hashOf(token)
    return (await this.#store.devices.count({ where: { tokenHash, ...this.#valid() } })) > 0
      ? tokenHash
      : null
  }

  async #forgetOld(now: number): Promise<void> {
    const past = { where: { until: { [Op.lt]: new Date(now) } } }
    await this.#store.sessions.destroy(past)
    await this.#store.devices.destroy(past)
    await this.#store.signInTries.destroy({
      where: { at: { [Op.lt]: new Date(now - DEVICE_DAYS * DAY_MS) } },
    })
  }
}

/** Says so, so that nobody takes a wrong key for one that was forgotten. */
class WrongKey extends ProblemError {
  constructor() {
    super(
      401,
      'the ingest key is wrong: it is none of those that this Lapsus knows',
      'key',
      undefined,
      'wrong-key',
    )
  }
}

class NoKey extends ProblemError {
  constructor() {
    super(401, 'an ingest key is missing: Authorization: Bearer …, or ?key=…', 'key', undefined, 'wrong-key')
  }
}

/** A random text of the database's own, made once. */
async function secretOf(store: Store): Promise<string> {
  await store.secrets.bulkCreate([{ name: SECRET, value: newToken() }], { ignoreDuplicates: true })
  return (await store.secrets.findByPk(SECRET, { raw: true }))!.value
}

/** What is kept of a password beside what was given for it: slow to guess back, and worked out once a start. */
async function markOf(password: string, secret: string): Promise<string> {
  const key = await promisify<string, string, number, Buffer>(scrypt)(password, secret, 32)
  return key.toString('hex')
}

const newToken = (): string => randomBytes(32).toString('base64url')

const hashOf = (token: string): string => createHash('sha256').update(token).digest('hex')

/** In constant time, whatever the lengths. */
const isSame = (a: string, b: string): boolean =>
  timingSafeEqual(createHash('sha256').update(a).digest(), createHash('sha256').update(b).digest())
