/** Fetches what a take's study is made of, and puts it together. */
import type { TakeDetail } from '@lapsus/api'
import { buildStudy, studyChunkOf, StoredChunkReader, type Study, type StudyChunk } from '@lapsus/core/study'
import { Declarations, PathTable } from '@lapsus/core/take'

async function inflate(bytes: Uint8Array): Promise<Uint8Array> {
  const stream = new Blob([bytes as Uint8Array<ArrayBuffer>])
    .stream()
    .pipeThrough(new DecompressionStream('deflate-raw'))
  return new Uint8Array(await new Response(stream).arrayBuffer())
}

/**
 * @param detail says what the take declares
 * @param onProgress told the share of the frames that are here, 0 to 1
 * @throws Error with words fit to show
 */
export async function readStudy(detail: TakeDetail, onProgress: (share: number) => void): Promise<Study> {
  const response = await fetch(`/api/takes/${encodeURIComponent(detail.id)}/study`)
  if (!response.ok || response.body === null)
    throw new Error(`The take could not be read to plan on it: the server answered ${response.status}.`)
  const reader = new StoredChunkReader()
  const chunks: StudyChunk[] = []
  let frames = 0
  for (const stream = response.body.getReader(); ;) {
    const { done, value } = await stream.read()
    if (done) break
    for (const stored of reader.push(value)) {
      const chunk = await studyChunkOf(stored, inflate)
      chunks.push(chunk)
      frames += chunk.frames.startNs.length
    }
    onProgress(Math.min(1, frames / Math.max(1, detail.frames)))
  }
  reader.finish()
  const { markers, lanes, gauges, watches, classes } = detail
  const declarations = new Declarations()
  declarations.apply({ markers, lanes, gauges, watches, classes })
  const paths = new PathTable()
  for (const { parent, lane, marker } of detail.paths) paths.child(parent, lane, declarations.marker(marker))
  const { conditions, target, moments } = detail
  const study = buildStudy({ conditions, target, declarations, paths }, chunks)
  return { ...study, moments }
}
