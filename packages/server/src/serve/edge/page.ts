import { PAGE } from '@lapsus/core/questions/page'
import { Type } from 'class-transformer'
import { IsInt, Max, Min } from 'class-validator'
import { edgeOf, MOST_FRAME } from '../edge.ts'

class PageParams {
  @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) frame!: number
}

export const edge = edgeOf({ question: PAGE, params: PageParams })
