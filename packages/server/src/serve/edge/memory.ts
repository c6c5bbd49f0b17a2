import { MEMORY } from '@lapsus/core/questions/memory'
import { edgeOf, FramesParams } from '../edge.ts'

export const edge = edgeOf({ question: MEMORY, params: FramesParams })
