/** What requests may say, checked with class-validator. */
import 'reflect-metadata'
import { TAKE_STATES, type TakeState } from '@lapsus/api'
import { MARKS, type FindingMark } from '@lapsus/core/questions/diagnosis'
import { EXPORT_FORMATS, type ExportFormat } from '@lapsus/core/exchange'
import { LIMITS, RECORDING_MODES, type RecordingMode } from '@lapsus/core/format'
import { REPORT_FORMATS, type ReportFormat } from '@lapsus/core/report'
import { plural } from '@lapsus/core/words'
import { plainToInstance, Transform, Type } from 'class-transformer'
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  Length,
  Max,
  MaxLength,
  Min,
  validate,
  ValidateIf,
  ValidateNested,
  type ValidationError,
} from 'class-validator'
import { DEMO_LIMITS } from '../recordings/demo.ts'
import { ProblemError } from '../problem-error.ts'
import { MOST_FRAME } from './edge.ts'

/** Of a list that is to be short. */
const MOST_LISTED = 10_000

export class TakesQuery {
  @IsOptional() @IsString() @Length(1, 200) game?: string
  @IsOptional() @IsString() @Length(1, 200) search?: string
  @IsOptional() @IsString() @Length(1, 200) tag?: string
  @IsOptional() @IsString() @Length(1, 200) build?: string
  @IsOptional() @IsString() @Length(1, 200) device?: string
  @IsOptional() @IsString() @Length(1, 200) scene?: string
  @IsOptional() @IsString() @Length(1, 200) mode?: string
  @IsOptional() @IsIn(TAKE_STATES) state?: TakeState
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(MOST_LISTED) limit?: number
}

export class ImportQuery {
  /** It goes on when its client has gone. */
  @IsOptional() @IsString() @MaxLength(10) keep?: string
  @IsOptional() @IsString() @Length(1, 200) frameMarker?: string
  @IsOptional() @IsString() @Length(1, 200) game?: string
}

export class LiveQuery {
  @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) from = 0
}

export class FileQuery {
  @IsIn(EXPORT_FORMATS) format: ExportFormat = 'lapsus'
}

export class KeepBody {
  @IsString() @Length(1, 200) cause = 'on request'
}

export class ExcerptBody {
  @IsInt() @Min(0) @Max(MOST_FRAME) from!: number
  @IsInt() @Min(0) @Max(MOST_FRAME) to!: number
  @IsString() @MaxLength(200) name = ''
}

/** What each says is read by core/format, which names what is wrong with it. */
export class SourceBody {
  @IsArray() @ArrayMaxSize(LIMITS.markers) @IsObject({ each: true }) markers!: object[]
}

export class RecordParams {
  @Type(() => Number) @IsInt() @Min(1) @Max(Number.MAX_SAFE_INTEGER) sequence!: number
}

export class SignInBody {
  @IsString() @MaxLength(1_000) password!: string
}

export class MarkBody {
  @IsString() @Length(1, 4_000) finding!: string
  @ValidateIf((body: MarkBody) => body.mark !== null) @IsIn(MARKS) mark!: FindingMark['mark'] | null
  @IsString() @MaxLength(2_000) reason = ''
}

/** What whoever records may know better than the game does. */
export class ConditionsChange {
  @IsOptional() @IsString() @Length(1, 200) build?: string
  @IsOptional() @IsString() @Length(1, 200) scene?: string
}

export class TakeChange {
  @IsOptional() @Type(() => ConditionsChange) @ValidateNested() conditions?: ConditionsChange
  @ValidateIf((change: TakeChange) => change.name !== undefined) @IsString() @MaxLength(200) name?: string
  @ValidateIf((change: TakeChange) => change.note !== undefined) @IsString() @MaxLength(10_000) note?: string
  @ValidateIf((change: TakeChange) => change.tags !== undefined)
  @IsArray()
  @ArrayMaxSize(32)
  @IsString({ each: true })
  @Length(1, 60, { each: true })
  tags?: string[]
}

export class RecordingBody {
  @IsInt() @Min(1) @Max(DEMO_LIMITS.seconds) seconds = 30
  @IsInt() @Min(0) @Max(0xffff_ffff) seed = 1
  @IsArray() @ArrayMaxSize(64) @IsString({ each: true }) @MaxLength(60, { each: true }) flaws: string[] = []
  @IsString() @MaxLength(60) trial = ''
  @IsInt() @Min(0) @Max(DEMO_LIMITS.letters) letters = 40
  @IsInt() @Min(1) @Max(DEMO_LIMITS.moths) moths = 150
  @IsString() @MaxLength(200) name = ''
  @IsNumber() @Min(1) @Max(1000) target = 60
  @IsIn(RECORDING_MODES) mode: RecordingMode = 'timing'
  @IsNumber() @Min(0) @Max(60_000) tripMs = 25
  @IsNumber() @Min(1) @Max(600) keepSeconds = 10
  @IsBoolean() handset = false
  @IsIn(['sliced', 'jobs']) routes: 'sliced' | 'jobs' = 'sliced'
  @IsNumber() @Min(0) @Max(1000) graphicsMs = 0
  @IsBoolean() ramp = false
}

/** More on one side say nothing that these do not. */
const MOST_TAKES = 32
/** More are not in sight at once. */
const MOST_MINIATURES = 100

/** Identities of takes with commas between, as an address holds them. */
const takeList = ({ value }: { value: unknown }) =>
  typeof value === 'string' ? value.split(',').filter((id) => id !== '') : value

function Takes(least: number, most = MOST_TAKES) {
  return (target: object, name: string) => {
    for (const check of [
      IsArray(),
      ArrayMinSize(least, { message: `"${name}" must name ${plural(least, 'take')} at least` }),
      ArrayMaxSize(most),
      IsString({ each: true }),
      Length(1, 64, { each: true }),
    ])
      check(target, name)
  }
}

export class MiniaturesQuery {
  @Transform(takeList) @Takes(1, MOST_MINIATURES) takes!: string[]
}

export class ArchiveQuery extends FileQuery {
  @Transform(takeList) @Takes(1) takes!: string[]
}

export class ComparisonQuery {
  @Transform(takeList) @Takes(1) before!: string[]
  @Transform(takeList) @Takes(1) after!: string[]
  @IsOptional() @Type(() => Number) @IsNumber() @Min(0.1) @Max(10_000) target?: number
}

export class ReportQuery {
  @IsIn(REPORT_FORMATS) format: ReportFormat = 'html'
  @IsOptional() @IsString() @Length(1, 64) take?: string
  @IsOptional() @Transform(takeList) @Takes(1) before?: string[]
  @IsOptional() @Transform(takeList) @Takes(1) after?: string[]
  @IsOptional() @IsString() @Length(1, 64) plan?: string
  @IsOptional() @IsString() @Length(1, 200) game?: string
}

export class GameQuery {
  @IsString() @Length(1, 200) game!: string
}

export class TriedQuery extends GameQuery {
  @IsString() @MaxLength(200) search = ''
}

export class KeptComparisonBody {
  @Takes(1) before!: string[]
  @Takes(1) after!: string[]
  @IsString() @Length(1, 2_000) sentence!: string
}

/** The budget is read by core/gate, which names what is wrong with it. */
export class CheckBody {
  @Takes(1) takes!: string[]
  @IsOptional() @IsObject() budget?: object
  @Takes(0) against: string[] = []
}

export class CompositeBody {
  @Takes(2) takes!: string[]
  @IsString() @MaxLength(200) name = ''
}

/** A plan is read by core/remedy, which names what is wrong with it. */
export class PlanBody {
  @IsInt() @Min(1) @Max(MOST_FRAME) revision!: number
  @IsObject() plan!: object
}

export class BudgetsBody {
  @IsString() @MaxLength(200) device = ''
  @IsObject() groups!: Record<string, unknown>
}

/** @throws ProblemError 400 naming the first field that is wrong */
export async function parseRequest<T extends object>(kind: new () => T, value: unknown): Promise<T> {
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw new ProblemError(400, 'expected a JSON object')
  checkShape(value)
  const request = plainToInstance(kind, value)
  const [first] = await validate(request, {
    whitelist: true,
    forbidNonWhitelisted: true,
    stopAtFirstError: true,
  })
  if (first !== undefined) {
    const error = innermost(first)
    throw new ProblemError(
      400,
      Object.values(error.constraints ?? { unknown: `${error.property} is wrong` })[0]!,
      error.property,
    )
  }
  return request
}

/** Of an object in a field, what is wrong in it. */
const innermost = (error: ValidationError): ValidationError =>
  error.children?.[0] === undefined ? error : innermost(error.children[0])

/** No request is deeper: a plan's items hold values by name. */
const MOST_DEPTH = 16
/** Names that mean something to every object: no request has a field of theirs, and what reads one trips over it. */
const NO_FIELDS = ['__proto__', 'constructor', 'prototype']

/** Level by level, so that no depth can exhaust the stack. @throws ProblemError 400 */
function checkShape(value: object): void {
  let level: object[] = [value]
  for (let depth = 0; level.length > 0; depth++) {
    if (depth > MOST_DEPTH) throw new ProblemError(400, `values nested deeper than ${MOST_DEPTH}`)
    const next: object[] = []
    for (const holder of level) {
      for (const [name, inner] of Object.entries(holder)) {
        if (NO_FIELDS.includes(name)) throw new ProblemError(400, `there is no field "${name}"`, name)
        if (inner !== null && typeof inner === 'object') next.push(inner as object)
      }
    }
    level = next
  }
}
