import { COMPOSITE } from '@lapsus/core/questions/composite'
import { edgeOf, FramesParams } from '../edge.ts'

export const edge = edgeOf({ question: COMPOSITE, params: FramesParams })
