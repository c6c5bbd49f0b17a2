/**
 * Loaded before a game that shall be marked (`lapsus record --mark`): marks what is loaded of the chosen files, and
 * records the game where it makes no probe itself.
 */
import Module, { register } from 'node:module'
import { isMainThread, MessageChannel } from 'node:worker_threads'
import { ENV_MARK } from '@lapsus/core/format'
import { createProbe } from '../node.ts'
import { installMarks, Marks } from './marks.ts'
import { NodeMarker, type MarkingSettings } from './node-marker.ts'

const given = process.env[ENV_MARK]
// Threads of the game are lanes, which nobody has asked for.
if (given !== undefined && isMainThread) start(JSON.parse(given) as MarkingSettings)

function start(settings: MarkingSettings): void {
  const marks = new Marks({ makeProbe: () => recordingProbe(settings.game), frame: settings.frame })
  installMarks(marks)
  const tell = (words: string) => console.error(`lapsus: ${words}`)
  hookModules(settings, tell)
  hookScripts(new NodeMarker(settings, tell), tell)
  process.once('exit', () => {
    if (marks.count > 0 && !marks.isRecording)
      tell(
        settings.frame === undefined
          ? 'no marked function was called in two turns of the event loop: say with --frame which one begins a frame'
          : `no marked function "${settings.frame}" was called, which was to begin frames`,
      )
  })
}

function recordingProbe(game: string) {
  const probe = createProbe({ game })
  return probe.recording ? probe : null
}

function hookModules(settings: MarkingSettings, tell: (words: string) => void): void {
  const { port1, port2 } = new MessageChannel()
  port1.on('message', tell)
  port1.unref()
  register(new URL('./mark-hooks.mjs', import.meta.url), {
    data: { settings, port: port2 },
    transferList: [port2],
  })
}

/** Imports files of the game's own, at the beginning of a line. */
const IMPORTS_BESIDE = /^\s*(import|export)\b[^'"]*['"]\.{1,2}\//m

/** CommonJS modules are compiled here, and ES modules that these require. */
function hookScripts(marker: NodeMarker, tell: (words: string) => void): void {
  const { prototype } = Module as unknown as {
    prototype: { _compile(text: string, file: string, ...more: unknown[]): unknown }
  }
  const compile = prototype._compile
  prototype._compile = function (text, file, ...more) {
    const [format] = more
    const name = marker.nameOf(file)
    // What it imports is shown to no hook of Node 20.
    if (format === 'module' && name !== null && IMPORTS_BESIDE.test(text))
      tell(`${name}: is an ES module that was required: what it imports is not marked`)
    return compile.call(this, marker.mark(text, file), file, ...more)
  }
}
