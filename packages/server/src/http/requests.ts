/** What requests may say, checked with class-validator. */
import 'reflect-metadata'
import { LEDGER_KEYS, type LedgerBy } from '@lapsus/core/rollup'
import { plainToInstance, Type } from 'class-transformer'
import {
  IsArray,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  Length,
  Max,
  MaxLength,
  Min,
  validate,
  ValidateIf,
} from 'class-validator'
import { DEMO_LIMITS } from '../recordings/demo.ts'
import { ProblemError } from '../problem-error.ts'

const MOST_FRAME = 2 ** 31 - 1

export class TakesQuery {
  @IsOptional() @IsString() @Length(1, 200) game?: string
}

export class FrameParams {
  @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) frame!: number
}

export class LedgerQuery {
  @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) from!: number
  @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) to!: number
  @IsIn(LEDGER_KEYS) by: LedgerBy = 'path'
}

export class TakeChange {
  @ValidateIf((change: TakeChange) => change.name !== undefined) @IsString() @MaxLength(200) name?: string
  @ValidateIf((change: TakeChange) => change.note !== undefined) @IsString() @MaxLength(10_000) note?: string
}

export class RecordingBody {
  @IsInt() @Min(1) @Max(DEMO_LIMITS.seconds) seconds = 30
  @IsInt() @Min(0) @Max(0xffff_ffff) seed = 1
  @IsArray() @IsString({ each: true }) flaws: string[] = []
  @IsInt() @Min(0) @Max(DEMO_LIMITS.letters) letters = 90
  @IsInt() @Min(1) @Max(DEMO_LIMITS.moths) moths = 150
  @IsString() @MaxLength(200) name = ''
}

/** @throws ProblemError 400 naming the first field that is wrong */
export async function parseRequest<T extends object>(kind: new () => T, value: unknown): Promise<T> {
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw new ProblemError(400, 'expected a JSON object')
  const request = plainToInstance(kind, value)
  const [error] = await validate(request, {
    whitelist: true,
    forbidNonWhitelisted: true,
    stopAtFirstError: true,
  })
  if (error !== undefined) {
    throw new ProblemError(
      400,
      Object.values(error.constraints ?? { unknown: `${error.property} is wrong` })[0]!,
      error.property,
    )
  }
  return request
}
