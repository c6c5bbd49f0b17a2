import { DIAGNOSIS } from '@lapsus/core/questions/diagnosis'
import { edgeOf, FramesParams } from '../edge.ts'

export const edge = edgeOf({ question: DIAGNOSIS, params: FramesParams })
