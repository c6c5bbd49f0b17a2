import { spawn, type ChildProcess } from 'node:child_process'
import { join } from 'node:path'
import { bringInLeft } from '../../../packages/cli/src/left.ts'
import { pause } from '../../support/npm-start.ts'

/** A game with numbered frames in a process of its own (sender.ts), and what it says. */
export class Game {
  readonly take: string
  readonly #address: string
  readonly #child: ChildProcess
  readonly #ended: Promise<unknown>
  #text = ''

  /** @param load length of a frame, ms, and spans in each */
  constructor(
    address: string,
    take: string,
    load: { frameMs: number; spans: number } = { frameMs: 4, spans: 60 },
  ) {
    this.take = take
    this.#address = address
    const script = join(import.meta.dirname, 'sender.ts')
    this.#child = spawn(
      process.execPath,
      ['--import', 'tsx', script, address, take, ...Object.values(load).map(String)],
      {
        stdio: ['pipe', 'pipe', 'inherit'],
      },
    )
    this.#child.stdout!.on('data', (data) => (this.#text += data))
    this.#ended = new Promise((resolve) => this.#child.once('close', resolve))
  }

  /** The last figure of such a line. */
  said(word: 'acknowledged' | 'made'): number {
    return Number([...this.#text.matchAll(new RegExp(`^${word} (\\d+)$`, 'gm'))].at(-1)?.[1] ?? 0)
  }

  get problems(): string[] {
    return [...this.#text.matchAll(/^problem (.*)$/gm)].map(([, problem]) => problem!)
  }

  /** Resolves when more than so many frames are acknowledged, or the game has ended. */
  async untilAcknowledged(frames: number): Promise<void> {
    while (this.said('acknowledged') <= frames && this.#child.exitCode === null) await pause(20)
  }

  async kill(): Promise<void> {
    this.#child.kill('SIGKILL')
    await this.#ended
  }

  /**
   * Ends in good order, once something of it has come; what it leaves for want of time is brought in.
   * @returns the frames it made
   */
  async finish(): Promise<number> {
    await this.untilAcknowledged(0)
    this.#child.stdin!.end()
    await this.#ended
    // Whichever server is there.
    for (const one of this.#address.split(',')) await bringInLeft(one, this.take)
    return this.said('made')
  }
}
