/** The numbered frames of a take as the product gives them back. */
import { RecordReader, type AnyRecord } from '@lapsus/core/format'

export const NUMBER_GAUGE = 'number'

/** Numbers of the frames, in order; what a frame was not given a number for is NaN. */
export async function numbersOf(address: string, take: string): Promise<number[]> {
  const response = await fetch(`${address}/api/takes/${take}/file?format=lapsus`)
  if (!response.ok) throw new Error(`${response.status} ${await response.text()}`)
  const records: AnyRecord[] = []
  new RecordReader().push(new Uint8Array(await response.arrayBuffer()), (record) => records.push(record))
  const numbers: number[] = []
  for (const record of records) {
    if (record.record !== 'chunk') continue
    const before = numbers.length
    numbers.push(...Array.from(record.frameStartNs, () => NaN))
    for (const { frame, value } of record.gauges)
      for (let i = 0; i < frame.length; i++) numbers[before + frame[i]!] = value[i]!
  }
  return numbers
}

/** Frames that are missing, twice there, or out of order. */
export const brokenIn = (numbers: number[]): number[] => numbers.filter((number, i) => number !== i)
