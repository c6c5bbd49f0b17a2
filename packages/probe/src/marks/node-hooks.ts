/** Hooks of Node's module loader, in its thread: what is loaded as an ES module is marked on its way. */
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import type { MessagePort } from 'node:worker_threads'
import { NodeMarker, type MarkingSettings } from './node-marker.ts'

interface Loaded {
  format?: string
  source?: string | ArrayBuffer | Uint8Array | null
}
type NextLoad = (url: string, context: object) => Promise<Loaded>

let marker: NodeMarker | null = null

export function initialize({ settings, port }: { settings: MarkingSettings; port: MessagePort }): void {
  marker = new NodeMarker(settings, (words) => port.postMessage(words))
  port.unref()
}

export async function load(url: string, context: object, nextLoad: NextLoad): Promise<Loaded> {
  const loaded = await nextLoad(url, context)
  const isModule = loaded.format === 'module' || loaded.format === 'module-typescript'
  if (marker === null || !isModule || !url.startsWith('file:')) return loaded
  const path = fileURLToPath(url)
  if (marker.nameOf(path) === null) return loaded
  const { source } = loaded
  const text =
    typeof source === 'string'
      ? source
      : source
        ? new TextDecoder().decode(source)
        : readFileSync(path, 'utf8')
  return { ...loaded, source: marker.mark(text, path) }
}
