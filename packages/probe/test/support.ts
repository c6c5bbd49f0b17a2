import {
  RecordReader,
  type AnyRecord,
  type ChunkRecord,
  type DeclareRecord,
  type TakeRecord,
} from '@lapsus/core/format'
import { Probe, type ProbeSettings } from '../src/probe.ts'
import type { Sink } from '../src/sinks/sink.ts'

/** Keeps every record in memory. */
export class MemorySink implements Sink {
  records: Uint8Array[] = []
  room = true
  hasRoom(): boolean {
    return this.room
  }
  put(record: Uint8Array): void {
    this.records.push(record)
  }
  close(): Promise<void> {
    return Promise.resolve()
  }
}

export function makeProbe(sink: Sink | null, settings: Partial<ProbeSettings> = {}): Probe {
  return new Probe({
    game: 'Test Game',
    target: 60,
    sink,
    take: 'probe-test-1',
    writer: 'writer-1',
    conditions: {},
    mode: 'timing',
    keepSeconds: 10,
    tripwires: {},
    machine: null,
    takeNow: null,
    places: () => {},
    draw: () => {},
    memory: { heap: null, watchCollections: null },
    ...settings,
  })
}

/** Everything that a sink got, read back through the format. */
export function readBack(pieces: Uint8Array[]) {
  const reader = new RecordReader()
  const records: AnyRecord[] = []
  for (const piece of pieces) reader.push(piece, (record) => records.push(record))
  return {
    reader,
    take: records[0] as TakeRecord,
    declares: records.filter((record): record is DeclareRecord => record.record === 'declare'),
    chunks: records.filter((record): record is ChunkRecord => record.record === 'chunk'),
    end: records.find((record) => record.record === 'end'),
  }
}

export const sleep = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

/** Waits until `test` holds; fails after ten seconds. */
export async function until(test: () => boolean, what: string): Promise<void> {
  const deadline = Date.now() + 10_000
  while (!test()) {
    if (Date.now() > deadline) throw new Error(`never happened: ${what}`)
    await sleep(5)
  }
}
