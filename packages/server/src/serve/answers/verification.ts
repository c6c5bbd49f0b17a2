/** Whether all of a take is there: as it was stored, and as it was sent. */
import type { Verification } from '@lapsus/api'
import { decodeRollup } from '@lapsus/core/rollup'
import { decodeFrames, decodeSamples, unpackSpans, type PathTable } from '@lapsus/core/take'
import { Op } from 'sequelize'
import { CHUNK_BLOBS, crcOf, type ChunkProof } from '../../store/chunk-proof.ts'
import { unpack } from '../../store/compression.ts'
import { crc32 } from '../../store/crc32.ts'
import { tablesOf } from '../../store/take-tables.ts'
import type { ChunkRow, Store, TakeFields } from '../../store/store.ts'

/** Chunks whose blobs are in memory at once. */
const AT_ONCE = 8
/** Of what is wrong so much is told. */
const MOST_TOLD = 50

/** Reads every blob of a take back, and holds it against what was noted when it was stored. */
export async function verifyTake(store: Store, row: TakeFields): Promise<Verification> {
  const check = new Check(store, row)
  await check.chunks()
  await check.rollups()
  check.sums()
  return check.told()
}

class Check {
  readonly #store: Store
  readonly #row: TakeFields
  readonly #problems: string[] = []
  #chunks = 0
  #frames = 0
  #spans = 0
  #bytes = 0
  #lastSequence = 0
  /** Chunks of an earlier version, of which nothing was noted. */
  #unnoted = 0
  /** Chunks whose records did not come as they were sent. */
  #unsent = 0

  constructor(store: Store, row: TakeFields) {
    this.#store = store
    this.#row = row
  }

  async chunks(): Promise<void> {
    const { paths } = await tablesOf(this.#store, this.#row)
    for (let next = 0; ;) {
      const rows = await this.#store.chunks.findAll({
        where: { takeId: this.#row.id, idx: { [Op.gte]: next } },
        order: [['idx', 'ASC']],
        limit: AT_ONCE,
        raw: true,
      })
      for (const chunk of rows) await this.#chunk(chunk, paths)
      if (rows.length < AT_ONCE) return
      next = rows.at(-1)!.idx + 1
    }
  }

  /** Those of the first level belong to a chunk each. */
  async rollups(): Promise<void> {
    const { id } = this.#row
    const rows = await this.#store.rollups.findAll({ where: { takeId: id }, raw: true })
    const first = new Set(rows.filter(({ level }) => level === 0).map(({ idx }) => idx))
    for (let idx = 0; idx < this.#chunks; idx++)
      if (!first.has(idx)) this.#wrong(`the sums of chunk ${idx} are missing`)
    for (const { level, idx, body, crc } of rows) {
      this.#bytes += body.length
      const what = `the sums of level ${level}, number ${idx},`
      if (crc !== null && crc32(body) !== Number(crc)) this.#wrong(`${what} are not as they were stored`)
      await this.#reads(what, async () => void decodeRollup(await unpack(body)))
    }
  }

  /** What the take says of itself. */
  sums(): void {
    const { frames, spans, chunks, lastSequence } = this.#row
    const same = (what: string, is: number, said: number) => {
      if (is !== said) this.#wrong(`the take has ${is} ${what}, ${said} were stored`)
    }
    same('chunks', this.#chunks, Number(chunks))
    same('frames', this.#frames, Number(frames))
    same('spans', this.#spans, Number(spans))
    if (this.#lastSequence > Number(lastSequence))
      this.#wrong(`a record ${this.#lastSequence} is stored beyond the last, ${lastSequence}`)
  }

  told(): Verification {
    const { id, lastSequence, chain, continues, setAside } = this.#row
    const isSent = chain !== null && this.#unnoted === 0 && this.#unsent === 0 && Number(setAside) === 0
    return {
      take: id,
      records: Number(lastSequence),
      chunks: this.#chunks,
      bytes: this.#bytes,
      isSent,
      unnotedChunks: this.#unnoted,
      continues,
      problems: this.#problems.slice(0, MOST_TOLD),
      problemCount: this.#problems.length,
    }
  }

  async #chunk(chunk: ChunkRow, paths: PathTable): Promise<void> {
    const { takeId, idx, firstFrame } = chunk
    const name = `chunk ${idx}`
    if (idx !== this.#chunks) this.#wrong(`${name} comes where chunk ${this.#chunks} is expected`)
    if (firstFrame !== this.#frames)
      this.#wrong(`${name} begins with frame ${firstFrame}, not ${this.#frames}`)
    const sequence = Number(chunk.sequence)
    if (sequence <= this.#lastSequence)
      this.#wrong(`${name} is record ${sequence}, after ${this.#lastSequence}`)
    this.#lastSequence = sequence
    this.#chunks++
    this.#frames += chunk.frames
    this.#spans += chunk.spans
    const proof = chunk.proof === null ? null : (JSON.parse(chunk.proof) as ChunkProof)
    if (proof === null) this.#unnoted++
    else if (proof.chain === null) this.#unsent++
    crcOf(chunk).forEach((crc, i) => {
      this.#bytes += chunk[CHUNK_BLOBS[i]!]?.length ?? 0
      if (proof !== null && crc !== proof.crc[i])
        this.#wrong(`${CHUNK_BLOBS[i]} of ${name} are not as they were stored`)
    })
    await this.#reads(name, async () => {
      const frames = decodeFrames(chunk.frameColumns)
      const spans = unpackSpans(await unpack(chunk.spanColumns), frames.startNs, paths)
      decodeSamples(chunk.samples)
      const moments = await this.#store.moments.count({ where: { takeId, idx } })
      const durationNs = spans.durationNs.reduce((sum, ns) => sum + ns, 0)
      const is = { frames: frames.startNs.length, spans: spans.path.length, moments, durationNs }
      if (proof === null) return
      for (const [what, count] of Object.entries(is)) {
        const noted = proof[what as keyof typeof is]
        if (count !== noted)
          this.#wrong(
            `${name} has ${count} ${what === 'durationNs' ? 'ns of spans' : what}, ${noted} were sent`,
          )
      }
      const pictures = await this.#store.pictures.findAll({
        where: { takeId, idx },
        order: [['position', 'ASC']],
        raw: true,
      })
      const crcs = pictures.map(({ bytes }) => crc32(bytes))
      if (crcs.join() !== proof.pictures.join())
        this.#wrong(`the pictures of ${name} are not as they were stored`)
    })
  }

  async #reads(what: string, read: () => Promise<void>): Promise<void> {
    try {
      await read()
    } catch (error) {
      this.#wrong(`${what} cannot be read: ${(error as Error).message.slice(0, 200)}`)
    }
  }

  #wrong(words: string): void {
    this.#problems.push(words)
  }
}
