import type { ComponentType } from 'react'
import type { SightName } from '../lists/sight-names.ts'
import type { OpenTake } from '../state/take.ts'

export interface SightProps {
  take: OpenTake
  budgetMs: number
}

/** Something that the middle of the workbench can show. */
export interface Sight {
  /** The name of its folder, its tab, and its word in addresses. */
  name: SightName
  /** Its place among the tabs, and its key. */
  order: number
  /** Whether it has anything to say of a take; without a tab where not. Always, if not given. */
  fits?(take: OpenTake): boolean
  /** Its view, which comes when it is first opened. */
  load(): Promise<ComponentType<SightProps>>
}
