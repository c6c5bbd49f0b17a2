/** A plugin for Vite: markers around the functions of chosen files, while the page is served for development. */
import { isAbsolute, relative, sep } from 'node:path'
import { chooser, markFile } from './mark-file.ts'

export interface MarkPluginOptions {
  /** Files to mark, as patterns below the project's folder. */
  mark: string | readonly string[]
  /** The game's name, as the library shows it. Default: that of the project's folder. */
  game?: string
  /** Address of the running Lapsus. */
  to?: string
  /** Ingest key, for a Lapsus that asks for one. */
  key?: string
  /** Name of the function that begins frames, such as `main.tick`. Default: the first that is called in two turns. */
  frame?: string
  /** Marks what is built, too, not only what is served. */
  build?: boolean
}

/** What Vite asks of a plugin, as far as this one answers. */
interface MarkPlugin {
  name: string
  enforce: 'pre'
  apply: 'serve' | undefined
  configResolved(config: { root: string; logger: { warn(words: string): void } }): void
  resolveId(id: string): string | null
  load(id: string): string | null
  transform(code: string, id: string): { code: string; map: string } | null
}

const USUAL_ADDRESS = 'http://127.0.0.1:4780'
const START = 'virtual:lapsus-marks'
/** As other plugins are not to touch it. */
const RESOLVED = `\0${START}`

export default function lapsus({
  mark,
  game,
  to = USUAL_ADDRESS,
  key,
  frame,
  build = false,
}: MarkPluginOptions): MarkPlugin {
  const isChosen = chooser(typeof mark === 'string' ? [mark] : mark)
  let root = ''
  let warn: (words: string) => void = () => {}
  return {
    name: 'lapsus-marks',
    // What was written is marked, before anything is made of it: lines are those of the source.
    enforce: 'pre',
    apply: build ? undefined : 'serve',
    configResolved(config) {
      root = config.root
      warn = (words) => config.logger.warn(`lapsus: ${words}`)
    },
    resolveId: (id) => (id === START ? RESOLVED : null),
    load(id) {
      if (id !== RESOLVED) return null
      const options = {
        game: game ?? root.split(/[/\\]/).findLast((name) => name !== '') ?? 'Game',
        to,
        key,
        frame,
      }
      return `import { startMarks } from '@lapsus/probe/marks'\nstartMarks(${JSON.stringify(options)})\n`
    },
    transform(code, id) {
      const [path] = id.split('?') as [string]
      const below = relative(root, path)
      const file = below.replaceAll(sep, '/')
      if (!isAbsolute(path) || isAbsolute(below) || !isChosen(file)) return null
      try {
        const marked = markFile(code, file, null)
        if (marked === null) return null
        for (const words of marked.leftAsItIs) warn(words)
        // Behind, since directives must come first; it is loaded before the module runs all the same.
        return { code: `${marked.code}\nimport ${JSON.stringify(START)}\n`, map: marked.map.toString() }
      } catch (error) {
        warn(`${file}: nothing is marked: ${(error as Error).message}`)
        return null
      }
    },
  }
}
