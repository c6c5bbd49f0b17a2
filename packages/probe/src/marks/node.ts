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
  hookScripts(new NodeMarker(settings, tell))
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

/** CommonJS modules are compiled here. */
function hookScripts(marker: NodeMarker): void {
  const { prototype } = Module as unknown as { prototype: { _compile(text: string, file: string): unknown } }
  const compile = prototype._compile
  prototype._compile = function (text, file) {
    return compile.call(this, marker.mark(text, file), file)
  }
}
