import { COURSE } from '@lapsus/core/questions/course'
import { Matches } from 'class-validator'
import { edgeOf, FramesParams } from '../edge.ts'

class CourseParams extends FramesParams {
  @Matches(/^\d+(,\d+)*$/, { message: '"paths" must be numbers of paths with commas between' })
  paths!: string
}

export const edge = edgeOf({ question: COURSE, params: CourseParams })
