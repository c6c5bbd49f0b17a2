import { ROSTER } from '@lapsus/core/questions/roster'
import { edgeOf, FramesParams } from '../edge.ts'

export const edge = edgeOf({ question: ROSTER, params: FramesParams })
