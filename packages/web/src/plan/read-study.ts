/** Fetches what a take's study is made of, and puts it together. */
import type { TakeDetail } from '@lapsus/api'
import { StudyBuilder, studyChunkOf, StoredChunkReader, type Study } from '@lapsus/core/study'
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
  const builder = new StudyBuilder(detail.frames)
  for (const stream = response.body.getReader(); ;) {
    const { done, value } = await stream.read()
    if (done) break
    for (const stored of reader.push(value)) builder.add(await studyChunkOf(stored, inflate))
    onProgress(Math.min(1, builder.frames / Math.max(1, detail.frames)))
  }
  reader.finish()
  const { markers, lanes, gauges, watches, classes } = detail
  const declarations = new Declarations()
  declarations.apply({ markers, lanes, gauges, watches, classes })
  const paths = new PathTable()
  for (const { parent, lane, marker } of detail.paths) paths.child(parent, lane, declarations.marker(marker))
  const { conditions, target, moments } = detail
  const study = builder.study({ conditions, target, declarations, paths })
  return { ...study, moments }
}
