import { SCALING } from '@lapsus/core/questions/scaling'
import { Type } from 'class-transformer'
import { IsInt, IsOptional, Matches, Max, Min } from 'class-validator'
import { edgeOf, FramesParams, MOST_FRAME } from '../edge.ts'

class ScalingParams extends FramesParams {
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) path?: number
  @IsOptional()
  @Matches(/^(gauge|class) \d+(,(gauge|class) \d+)?$/, {
    message: '"loads" must be one or two of the loads that the take has, such as "gauge 3"',
  })
  loads?: string
}

export const edge = edgeOf({ question: SCALING, params: ScalingParams })
