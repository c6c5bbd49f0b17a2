/** Recorders that are older than this Lapsus, by what they say of themselves in the conditions. */
import { VERSION } from '@lapsus/core/format'

/** What a recorder calls itself, and what it is handed out as. */
const FILES: Record<string, string> = {
  'Lapsus probe': 'lapsus-probe.tgz',
  'lapsus.h': 'lapsus.h',
  'Lapsus.cs': 'Lapsus.cs',
  'lapsus.lua': 'lapsus.lua',
  'lapsus.py': 'lapsus.py',
}

/** Said to whoever runs the game; null where the recorder is as new as this Lapsus, newer, or none of ours. */
export function newerThan(probe: string | undefined): string | null {
  const [, name, version] = /^(.+) (\d+\.\d+\.\d+)$/.exec(probe ?? '') ?? []
  if (name === undefined || !Object.hasOwn(FILES, name) || !isOlder(version!, VERSION)) return null
  return `${name} ${version} is older than this Lapsus, which has ${VERSION} at /get/${FILES[name]}`
}

function isOlder(one: string, other: string): boolean {
  const [a, b] = [one, other].map((version) => version.split('.').map(Number)) as [number[], number[]]
  const at = a.findIndex((part, i) => part !== b[i])
  return at >= 0 && a[at]! < b[at]!
}
