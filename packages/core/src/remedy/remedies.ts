/** Every remedy, by kind. */
import type { RemedyKind } from '../lists/kinds.ts'
import { REMEDY_LIST } from '../lists/remedies.ts'
import type { Remedy } from './remedy.ts'

export const REMEDIES = Object.fromEntries(REMEDY_LIST.map((remedy) => [remedy.kind, remedy])) as Record<
  RemedyKind,
  Remedy
>
