import { encodeCbor } from '@lapsus/core/format'
import { decodeSamples } from '@lapsus/core/take'
import { fn, literal, Op } from 'sequelize'
import { takeMoments, takeStretches } from '../../store/moments.ts'
import type { Store, TakeRow } from '../../store/store.ts'

/** Chunks that one answer holds at most: the rest come with the next. */
const MOST_CHUNKS = 240

/**
 * What a take has from frame `from` on, as CBOR (api: LiveNews). Read from the database alone, so that any
 * server process can answer for a game that streams to another.
 */
export async function liveBytes(store: Store, row: TakeRow, from: number): Promise<Uint8Array> {
  const takeId = row.id
  const places = await store.chunks.findAll({
    attributes: ['idx', 'firstFrame'],
    where: {
      takeId,
      frames: { [Op.gt]: 0 },
      [Op.and]: literal(`first_frame + frames > ${Math.floor(from)}`),
    },
    order: [['idx', 'ASC']],
    limit: MOST_CHUNKS,
    raw: true,
  })
  const chunks = await store.chunks.findAll({
    attributes: ['idx', 'frameColumns'],
    where: { takeId, idx: places.map(({ idx }) => idx) },
    order: [['idx', 'ASC']],
    raw: true,
  })
  const last = places.at(-1)
  const [samples, markers, paths, moments, stretches] = await Promise.all([
    last === undefined
      ? null
      : store.chunks.findOne({ attributes: ['samples'], where: { takeId, idx: last.idx }, raw: true }),
    store.markers.count({ where: { takeId } }),
    pathCount(store, takeId),
    places.length === 0 ? [] : takeMoments(store, takeId, places[0]!.idx),
    takeStretches(store, takeId),
  ])
  return encodeCbor({
    state: row.state,
    totalFrames: Number(row.frames),
    dropped: Number(row.dropped),
    repaired: Number(row.repaired),
    markers,
    paths,
    firstFrame: places[0]?.firstFrame ?? from,
    frames: new Uint8Array(Buffer.concat(chunks.map((chunk) => chunk.frameColumns))),
    gauges:
      samples === null
        ? []
        : decodeSamples(samples.samples).gauges.map(({ gauge, value }) => ({
            gauge,
            value: value.at(-1) ?? 0,
          })),
    moments,
    stretches,
  })
}

async function pathCount(store: Store, takeId: string): Promise<number> {
  const row = (await store.paths.findOne({
    attributes: [[fn('COUNT', literal('*')), 'paths']],
    where: { takeId },
    raw: true,
  })) as unknown as { paths: number }
  return Number(row.paths)
}
