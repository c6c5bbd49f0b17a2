/** Columns of answers in few figures, so that whole answers can stand in a test. */
import type { Picture, Replay } from '@lapsus/core/remedy'

export const rounded = (value: number): number | string =>
  Number.isFinite(value) ? Number(value.toPrecision(6)) : String(value)

/** Of a column: how long it is, how much of it is known, its sum, its ends; and its sum by place, which tells what moved. */
export function columnOf(values: ArrayLike<number>): object {
  const known = Array.from(values, (value, i) => ({ value, i })).filter(({ value }) => !Number.isNaN(value))
  return {
    ...{ length: values.length, known: known.length },
    sum: rounded(known.reduce((sum, { value }) => sum + value, 0)),
    byPlace: rounded(known.reduce((sum, { value, i }) => sum + value * i, 0)),
    ...{ first: rounded(values[0]!), last: rounded(values[values.length - 1]!) },
  }
}

/** Anything, with its columns in few figures and its numbers rounded, as JSON has it. */
export const summedUp = (value: unknown): unknown =>
  JSON.parse(
    JSON.stringify(value, (_, inner: unknown) =>
      ArrayBuffer.isView(inner)
        ? columnOf(inner as unknown as ArrayLike<number>)
        : typeof inner === 'number'
          ? rounded(inner)
          : inner,
    ) ?? 'null',
  )

/** What a remedy says in its picture. */
export const pictured = (picture: Picture | null): unknown => summedUp(picture)

/** What is left of a path over all frames, by the columns that others go on from. */
export function leftOf(replay: Replay, path: number | null): unknown {
  if (path === null) return null
  const { selfNs, calls, bytes, needlessNs, repeatedNs } = replay.columns(path)
  const sum = (values: Float64Array) => values.reduce((total, value) => total + value, 0)
  return summedUp([selfNs, calls, bytes, needlessNs, repeatedNs].map(sum))
}
