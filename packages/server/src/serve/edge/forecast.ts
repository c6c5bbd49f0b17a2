import { FORECAST } from '@lapsus/core/questions/forecast'
import { IsString, Length } from 'class-validator'
import { edgeOf, FramesParams } from '../edge.ts'

class ForecastParams extends FramesParams {
  @IsString()
  @Length(1, 64, { message: '"plan" must be the id of a plan' })
  plan!: string
}

export const edge = edgeOf({ question: FORECAST, params: ForecastParams })
