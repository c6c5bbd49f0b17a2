/**
 * How often a password may be tried. A try is reserved in the database before the password is compared, in one
 * command: however many come at once, at one server or at several, no more are compared than may be.
 */
import { isIPv6 } from 'node:net'
import { QueryTypes } from 'sequelize'
import { sqlTime } from '../store/sql-time.ts'
import type { Store } from '../store/store.ts'

export const TRY_LIMITS = {
  /** Tries of an address before it has to pause. */
  FREE: 5,
  /** An address that was right before, or a browser, has so many times as many. */
  KNOWN_TIMES: 10,
  /** Wrong tries of all strangers together before these have to take turns. */
  FREE_OF_STRANGERS: 50,
  /** The first pause, s; each further one is twice as long. */
  FIRST_PAUSE_S: 15,
  MOST_PAUSE_S: 900,
  /** One stranger in so many s. */
  STRANGERS_PAUSE_S: 2,
  /** Without a try for so long all are free again, s. */
  FORGOTTEN_S: 3_600,
  STRANGERS_FORGOTTEN_S: 60,
  /** An address that was right is known for so long, days. */
  KNOWN_DAYS: 90,
} as const

interface Rule {
  free: number
  firstPauseS: number
  mostPauseS: number
  forgottenS: number
}

const STRANGERS = 'strangers'
const STRANGERS_RULE: Rule = {
  free: TRY_LIMITS.FREE_OF_STRANGERS,
  firstPauseS: TRY_LIMITS.STRANGERS_PAUSE_S,
  mostPauseS: TRY_LIMITS.STRANGERS_PAUSE_S,
  forgottenS: TRY_LIMITS.STRANGERS_FORGOTTEN_S,
}
const ruleOf = (known: boolean): Rule => ({
  free: TRY_LIMITS.FREE * (known ? TRY_LIMITS.KNOWN_TIMES : 1),
  firstPauseS: TRY_LIMITS.FIRST_PAUSE_S,
  mostPauseS: TRY_LIMITS.MOST_PAUSE_S,
  forgottenS: TRY_LIMITS.FORGOTTEN_S,
})

/** How many were tried within the time that counts, this one included. */
const COUNT = 'IF(at < $forgotten, 0, tries) + 1'
/** The n-th try of `free` brings the first pause, and holds for the next. Assigned from left to right. */
const RESERVE = `UPDATE sign_in_tries
  SET next_at = $now + INTERVAL IF(${COUNT} < $free, 0, LEAST($most, $first * POW(2, ${COUNT} - $free))) SECOND,
    tries = ${COUNT}, at = $now
  WHERE who = $who AND next_at <= $now`
const GIVE_BACK = `UPDATE sign_in_tries
  SET tries = GREATEST(tries, 1) - 1, next_at = $now, right_at = IF($right, $now, right_at) WHERE who = $who`

/** Thrown while one has to pause. */
export class TooManyTries extends Error {
  readonly waitS: number

  constructor(waitS: number) {
    super('too many wrong tries')
    this.waitS = waitS
  }
}

export class Tries {
  readonly #store: Store
  /** Tries of one after the other: right ones that come at once are not taken for many. */
  readonly #last = new Map<string, Promise<unknown>>()

  constructor(store: Store) {
    this.#store = store
  }

  /**
   * Lets `isRight` be asked, if there is a try left.
   * @param device of a browser that was right before, if it is one
   * @throws TooManyTries
   */
  async take(address: string, device: string | null, isRight: () => boolean): Promise<boolean> {
    const who = device === null ? `address ${networkOf(address)}` : `device ${device}`
    const before = this.#last.get(who) ?? Promise.resolve()
    const own = before.then(() => this.#takeAlone(who, device !== null, isRight))
    const settled = own.catch(() => {})
    this.#last.set(who, settled)
    try {
      return await own
    } finally {
      if (this.#last.get(who) === settled) this.#last.delete(who)
    }
  }

  async #takeAlone(who: string, isDevice: boolean, isRight: () => boolean): Promise<boolean> {
    const row = await this.#store.signInTries.findByPk(who, { raw: true })
    const knownSince = Date.now() - TRY_LIMITS.KNOWN_DAYS * 24 * 3_600_000
    const known = isDevice || (row !== null && row.rightAt !== null && row.rightAt.getTime() > knownSince)
    await this.#reserve(who, ruleOf(known))
    if (!known) {
      try {
        await this.#reserve(STRANGERS, STRANGERS_RULE)
      } catch (error) {
        await this.#giveBack(who, false)
        throw error
      }
    }
    const right = isRight()
    if (right) {
      await this.#giveBack(who, true)
      if (!known) await this.#giveBack(STRANGERS, false)
    }
    return right
  }

  async #reserve(who: string, { free, firstPauseS, mostPauseS, forgottenS }: Rule): Promise<void> {
    const now = new Date()
    const first = { who, tries: 0, at: now, nextAt: now, rightAt: null }
    await this.#store.signInTries.bulkCreate([first], { ignoreDuplicates: true })
    const forgotten = new Date(now.getTime() - forgottenS * 1000)
    const bind = {
      ...{ who, now: sqlTime(now), forgotten: sqlTime(forgotten) },
      ...{ free, first: firstPauseS, most: mostPauseS },
    }
    if ((await this.#run(RESERVE, bind)) === 1) return
    const row = await this.#store.signInTries.findByPk(who, { raw: true })
    const waitMs = (row?.nextAt ?? now).getTime() - now.getTime()
    throw new TooManyTries(Math.max(1, Math.ceil(waitMs / 1000)))
  }

  async #giveBack(who: string, right: boolean): Promise<void> {
    await this.#run(GIVE_BACK, { who, now: sqlTime(new Date()), right })
  }

  /** @returns rows that were changed */
  async #run(sql: string, bind: Record<string, unknown>): Promise<number> {
    const [, changed] = await this.#store.database.query(sql, { bind, type: QueryTypes.UPDATE })
    return changed
  }
}

/** Whoever has one IPv6 address mostly has a network of them: its first half. */
export function networkOf(address: string): string {
  const bare = address.replace(/^::ffff:(?=\d+\.)/i, '')
  if (!isIPv6(bare)) return bare.slice(0, 64)
  const [head = '', tail = ''] = bare.split('%', 1)[0]!.split('::')
  const groups = (text: string) => (text === '' ? [] : text.split(':'))
  const [before, after] = [groups(head), groups(tail)]
  const zeros = bare.includes('::') ? Math.max(0, 8 - before.length - after.length) : 0
  const all = [...before, ...Array.from({ length: zeros }, () => '0'), ...after]
  return `${all
    .slice(0, 4)
    .map((group) => parseInt(group, 16).toString(16))
    .join(':')}::/64`
}
