/** What a number will not do for: drawn where the plan is looked at. Frames are numbers in the study. */
import type { Layouts } from './layout.ts'
import type { Shift } from './schedule.ts'

export type Picture =
  | {
      sort: 'live-curve'
      /** Instances alive, and the pool's size, by frame. */
      live: Float64Array
      size: Float64Array
      what: string
    }
  | {
      sort: 'load'
      /** Over the common period, ms by frame. */
      before: Float64Array
      after: Float64Array
      /** Worst frame with phases drawn at random, ms. */
      randomWorst: number
    }
  | {
      sort: 'backlog'
      /** ms of work by frame: what came in, what is done, what is left. */
      arrived: Float64Array
      served: Float64Array
      backlog: Float64Array
      waits: { frame: number; frames: number }[]
    }
  | {
      sort: 'schedule'
      /** The frame with the most work for jobs. */
      frame: number
      lanes: string[]
      /** What the lanes do besides, ns since the hand-over. */
      busyNs: number[]
      shifts: Shift[]
      /** When the main lane comes to the join, and when it may go on, ns since the hand-over. */
      joinNs: number
      endNs: number
    }
  | ({ sort: 'layout'; instances: number } & Layouts)
