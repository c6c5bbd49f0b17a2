import { WebSocket } from 'ws'
import { endRecord, encodeRecord, type IngestMessage, type TakeRecord } from '@lapsus/core/format'
import { declaration } from './made-up-take.ts'

/** A game that sends records and hears what is committed. */
export class Game {
  readonly #socket: WebSocket
  #acknowledged = -1
  #wake = () => {}

  private constructor(address: string) {
    this.#socket = new WebSocket(`${address.replace('http', 'ws')}/ingest`)
  }

  static async begin(address: string, take: string): Promise<Game> {
    const game = new Game(address)
    game.#socket.on('message', (data) => {
      const message = JSON.parse(String(data)) as IngestMessage
      if (message.type === 'refused')
        throw new Error(`the server refused ${take}: ${message.refused.message}`)
      if (message.type === 'ack') game.#acknowledged = message.ack
      game.#wake()
    })
    await new Promise((resolve) => game.#socket.once('open', resolve))
    game.send(encodeRecord(takeRecord(take)))
    game.send(encodeRecord(declaration))
    await game.committed(1)
    return game
  }

  send(bytes: Uint8Array): void {
    this.#socket.send(bytes)
  }

  async committed(sequence: number): Promise<void> {
    while (this.#acknowledged < sequence) await new Promise<void>((resolve) => (this.#wake = resolve))
  }

  async end(sequence: number): Promise<void> {
    this.send(encodeRecord(endRecord(sequence, 0)))
    await this.committed(sequence)
    this.#socket.close()
  }
}

export const takeRecord = (take: string): TakeRecord => ({
  record: 'take',
  lapsus: 1,
  take,
  game: 'Made up',
  target: 60,
  started: new Date().toISOString(),
  conditions: {},
})
