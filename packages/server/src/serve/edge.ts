/** A question at the server's edge: what a request may say of it. */
import 'reflect-metadata'
import type { Question, Shape } from '@lapsus/core/questions'
import { Type } from 'class-transformer'
import { IsIn, IsInt, IsNumber, IsOptional, Max, Min } from 'class-validator'

export const MOST_FRAME = 2 ** 31 - 1

/** Which frames a question is about, and how they are judged. */
export class FramesParams {
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) from?: number
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) to?: number
  @IsOptional() @Type(() => Number) @IsNumber() @Min(0.1) @Max(10_000) target?: number
  @IsIn(['as-recorded', 'without']) recorder = 'as-recorded'
}

export interface Edge<A extends Shape = Shape, T extends Shape = Shape> {
  question: Question<A, T>
  /** What a request may say, checked with class-validator. */
  params: new () => object
}

/** For defining one: keeps the types together. */
export const edgeOf = <A extends Shape, T extends Shape>(edge: Edge<A, T>): Edge => edge as unknown as Edge
