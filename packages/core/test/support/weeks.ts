/** Takes of several versions of a small game: the third version and all later ones seek longer. */
import { endRecord, type AnyRecord } from '@lapsus/core/format'
import { normalFrom, randomFrom, recordsFrom, run, type TestFrame } from './studies.ts'
import { bytesOf, takeRecord } from './takes.ts'

/** Three takes of each of six versions, and one of a handset: each a file. */
export function weeksOfTakes(): Uint8Array[] {
  const desk = Array.from({ length: 18 }, (_, i) =>
    night(i, `1.${Math.floor(i / 3)}`, i >= 6 ? 2 : 1, 'desk'),
  )
  return [...desk, night(18, '1.5', 12, 'handset')]
}

function night(i: number, version: string, seekMs: number, device: string): Uint8Array {
  const random = randomFrom(i + 1)
  const slow = Math.exp(0.1 * normalFrom(random))
  const ns = (ms: number) => Math.round(ms * 1e6 * slow * Math.exp(0.05 * normalFrom(random)))
  const frames = Array.from({ length: 120 }, (): TestFrame => ({
    runs: [
      run('sim', ns(1), { children: [run('seek', ns(seekMs)), run('belt', ns(1)), run('mail', ns(0.5))] }),
      run('draw', ns(2)),
      run('sound', ns(0.7)),
    ],
    gauges: { letters: 3 + (i % 2) },
  }))
  const take = takeRecord({
    ...{ take: `history-${i}`, started: new Date(Date.UTC(2026, 0, 1 + i)).toISOString() },
    conditions: { version, device, scene: 'attic' },
  })
  const records: AnyRecord[] = [take, ...recordsFrom(frames)]
  return bytesOf([...records, endRecord(records.length)])
}
