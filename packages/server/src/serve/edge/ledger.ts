import { LEDGER, LEDGER_SCOPES, type LedgerScope } from '@lapsus/core/questions/ledger'
import { LEDGER_KEYS, type LedgerBy } from '@lapsus/core/rollup'
import { Type } from 'class-transformer'
import { IsIn, IsInt, IsNumber, IsOptional, Max, Min } from 'class-validator'
import { edgeOf, MOST_FRAME } from '../edge.ts'

class LedgerParams {
  @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) from!: number
  @Type(() => Number) @IsInt() @Min(0) @Max(MOST_FRAME) to!: number
  /** By which spikes and typical frames are told apart; the take's own if not given. */
  @IsOptional() @Type(() => Number) @IsNumber() @Min(0.1) @Max(10_000) target?: number
  @IsIn(['as-recorded', 'without']) recorder = 'as-recorded'
  @IsIn(LEDGER_KEYS) by: LedgerBy = 'path'
  @IsIn(LEDGER_SCOPES) scope: LedgerScope = 'chosen'
}

export const edge = edgeOf({ question: LEDGER, params: LedgerParams })
