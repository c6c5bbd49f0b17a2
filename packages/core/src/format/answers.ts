/**
 * What a sender of records does about what a server says: decided here once. docs/format.md is made from it, and the
 * cases that every sender is held to.
 */
import type { FormatErrorCode } from './errors.ts'

/** Afterwards. */
export const ACTIONS = {
  'go-on': 'forget what is acknowledged, send what follows',
  again:
    'wait, then send again from the record after `ack`; without `ack`, from the first that is not acknowledged',
  back: 'send again from the record after `ack`, as far as it is there; else go on in a new take',
  drop: 'record no more, and keep nothing',
  'set-aside': 'record no more; what is not acknowledged is kept as a spool file with `.refused` at its end',
  keep: 'record no more; what is not acknowledged is kept as a spool file, with the key it was to be let in with',
} as const
export type Action = keyof typeof ACTIONS

/** Codes of what breaks the format: the same again will break it again. */
export const BROKEN: readonly FormatErrorCode[] = [
  'not-a-take',
  'other-version',
  'not-cbor',
  'too-large',
  'bad-field',
  'after-end',
]

export interface Answer {
  /** What is said, in words. */
  says: string
  /** Of an answer by HTTP; null for what only a stream says, or nobody. */
  status: number | null
  /** Of a refusal. */
  code: string | null
  /** Whether `ack` comes with it: what of; null for none. */
  ack: 'as sent' | 'less' | 'more' | null
  then: Action
}

/** From the top: the first that fits counts. */
export const ANSWERS: readonly Answer[] = [
  {
    says: 'an `ack` beyond what was sent: another recording',
    status: 200,
    code: null,
    ack: 'more',
    then: 'keep',
  },
  {
    says: 'an `ack` below one that was given: the server has less',
    status: 200,
    code: null,
    ack: 'less',
    then: 'back',
  },
  { says: 'committed', status: 200, code: null, ack: 'as sent', then: 'go-on' },
  { says: 'somebody discarded the recording', status: 410, code: 'discarded', ack: null, then: 'drop' },
  ...BROKEN.map((code): Answer => ({
    says: 'a record breaks the format',
    status: 422,
    code,
    ack: 'as sent',
    then: 'set-aside',
  })),
  {
    says: 'the key is wrong, of another game, or missing',
    status: 401,
    code: 'wrong-key',
    ack: null,
    then: 'keep',
  },
  {
    says: 'records are missing before these',
    status: 409,
    code: 'out-of-sequence',
    ack: 'less',
    then: 'back',
  },
  {
    says: 'another request of the take is being stored',
    status: 409,
    code: 'busy',
    ack: 'as sent',
    then: 'again',
  },
  { says: 'the same, as older servers say it', status: 409, code: null, ack: null, then: 'again' },
  { says: 'any other refusal', status: 400, code: 'another', ack: null, then: 'again' },
  { says: 'the server is busy, full, or not well', status: 503, code: null, ack: null, then: 'again' },
  { says: 'nothing, or what is no answer of a Lapsus', status: null, code: null, ack: null, then: 'again' },
]

/** What a refusal means for what is not acknowledged. */
export function afterRefusal(code: string): Action {
  return ANSWERS.find((answer) => answer.code === code)?.then ?? 'again'
}
