import { WAITING } from '@lapsus/core/questions/waiting'
import { edgeOf, FramesParams } from '../edge.ts'

export const edge = edgeOf({ question: WAITING, params: FramesParams })
