import { TRIAL } from '@lapsus/core/questions/trial'
import { IsOptional, IsString, Length } from 'class-validator'
import { edgeOf, FramesParams } from '../edge.ts'

class TrialParams extends FramesParams {
  @IsOptional()
  @IsString()
  @Length(1, 200, { message: '"trial" must be the name of a trial' })
  trial?: string
}

export const edge = edgeOf({ question: TRIAL, params: TrialParams })
