/**
 * What of the docs is made from the code: each piece stands in its page between two marks, and is written anew by
 * `npm run docs`. A test holds the pages against it.
 */
import { DETECTION_LIMITS, FINDINGS, REMEDY_KINDS } from '@lapsus/core/detect'
import {
  ACTIONS,
  ANSWERS,
  COLUMN_WORDS,
  entriesOf,
  FRAME_COLUMNS,
  OPTIONAL_FIELDS,
  JOB_COLUMNS,
  SAMPLE_NAMES,
  SAMPLES,
  SPAN_DETAILS,
  type ColumnRule,
} from '@lapsus/core/format'
import { LIMITED } from '@lapsus/core/gate'
import {
  orNone,
  text,
  travelsAsCbor,
  wholeShape,
  type Field,
  type Question,
  type Shape,
} from '@lapsus/core/questions'
import { QUESTION_LIST, TAKES_QUESTION_LIST } from '@lapsus/core/questions/all'
import { COMPARISON } from '@lapsus/core/questions/comparison'
import { CAUSE, FINDING, SPIKE } from '@lapsus/core/questions/diagnosis'
import { FORECAST } from '@lapsus/core/questions/forecast'
import { COLLECTION } from '@lapsus/core/questions/memory'
import { ROSTER_ROW } from '@lapsus/core/questions/roster'
import { REMEDIES } from '@lapsus/core/remedy'
import { LISTED_ROUTES, WHO } from '../../packages/server/src/serve/routes/table.ts'
import { folderTable } from './folders.ts'

/** By page and name of the piece. */
export const PIECES: Record<string, Record<string, () => string>> = {
  'docs/findings.md': { kinds, figures },
  'docs/plan.md': { remedies },
  'docs/api.md': { routes, questions, 'takes questions': takesQuestions },
  'docs/cli.md': {
    questions: questionNames,
    inspect: inspectTables,
    forecast: forecastTable,
    comparison: comparisonTable,
  },
  'docs/check.md': { limits: limitTable },
  'docs/format.md': { columns: columnRules, answers, 'optional fields': optionalFields },
  'docs/architecture.md': { folders: folderTable },
}

const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', ' ')

function table(heads: string[], rows: string[][]): string {
  const line = (cells: string[]) => `| ${cells.map(cell).join(' | ')} |`
  return [line(heads), line(heads.map(() => '---')), ...rows.map(line)].join('\n')
}

function limitTable(): string {
  const rows = Object.entries(LIMITED).flatMap(([of, figures]) =>
    Object.entries<string>(figures).map(([name, words]) => [`\`${of}\``, `\`${name}\``, words]),
  )
  const findings = [
    '`findings`',
    'a kind of [finding](findings.md)',
    'findings of the kind that are not small',
  ]
  return table(['of', 'figure', 'what it is'], [...rows, findings])
}

function kinds(): string {
  return table(
    ['kind', 'in words', 'found when', 'cost'],
    Object.values(FINDINGS).map(({ name, words, found, cost }) => [`\`${name}\``, words, found, cost]),
  )
}

/** Every figure that rules are made of, by where it stands. */
function figures(): string {
  const { kinds: byKind, ...shared } = DETECTION_LIMITS
  const all: [string, Readonly<Record<string, number>>][] = [
    ...Object.entries(shared),
    ...Object.entries(byKind),
  ]
  return table(
    ['rule', 'figures'],
    all
      .filter(([, limits]) => Object.keys(limits).length > 0)
      .map(([rule, limits]) => [
        `\`${rule}\``,
        Object.entries(limits)
          .map(
            ([name, value]) => `${name.toLowerCase().replaceAll('_', ' ')} ${Number(value.toPrecision(4))}`,
          )
          .join(', '),
      ]),
  )
}

function remedies(): string {
  return table(
    ['remedy', 'what it makes of a frame', 'suggested from the take', 'price'],
    REMEDY_KINDS.map((kind) => {
      const { makes, suggests, price } = REMEDIES[kind]
      return [`\`${kind}\``, makes, suggests, price]
    }),
  )
}

const all = QUESTION_LIST as readonly unknown[] as readonly Question[]

function questions(): string {
  return all
    .map((question) => {
      const { name, about, at, asks, ofFrames } = question
      const own = Object.keys(asks).filter((one) => !at.includes(`:${one}`))
      const asked = ofFrames ? ['from', 'to', 'target', 'recorder', ...own] : own
      const query = asked.length === 0 ? '' : `?${asked.map((one) => `${one}=`).join('&')}`
      return [
        `### ${name}`,
        '',
        `\`GET /api/takes/:take/${at}${query}\``,
        '',
        `${about} ${travelsAsCbor(question) ? 'CBOR' : 'JSON'}.`,
        '',
        ...(Object.keys(asks).length === 0 ? [] : [table(['asks', '', 'meaning'], fieldRows(asks)), '']),
        table(['tells', '', 'meaning'], fieldRows(wholeShape(question))),
      ].join('\n')
    })
    .join('\n\n')
}

function optionalFields(): string {
  return OPTIONAL_FIELDS.map((field) => `\`${field}\``).join(', ')
}

/** What senders do about what servers say. */
function answers(): string {
  const acks = { 'as sent': '`ack`', less: 'a lower `ack`', more: 'an `ack` too high' }
  return table(
    ['status', '`code`', 'with', 'means', 'the sender is to'],
    ANSWERS.map(({ says, status, code, ack, then }) => [
      status === null ? '' : String(status),
      code === null || code === 'another' ? '' : `\`${code}\``,
      ack === null ? '' : acks[ack],
      says,
      ACTIONS[then],
    ]),
  )
}

/** Every address but those of questions, which have a part of their own. */
function routes(): string {
  const rows = Object.entries(LISTED_ROUTES).map(([name, { who, query = '', tells }]) => [
    `\`${name.replace('{*file}', '')}${query}\``,
    WHO[who],
    tells,
  ])
  const stream = ['WebSocket `/ingest`', WHO.game, 'a take stream, see [format.md](format.md)']
  return table(['request', 'who may, where a password is asked for', 'answer'], [...rows, stream])
}

function takesQuestions(): string {
  return TAKES_QUESTION_LIST.map((question) =>
    [
      `### ${question.name}`,
      '',
      `\`GET /api/${question.at}?before=&after=&target=\``,
      '',
      `${question.about} JSON.`,
      '',
      table(['tells', '', 'meaning'], fieldRows(wholeShape(question))),
    ].join('\n'),
  ).join('\n\n')
}

/** The fields of a shape, those inside others with their names in front. */
function fieldRows(shape: Shape, before = ''): string[][] {
  return Object.entries(shape).flatMap(([name, field]) => {
    const isList = field.type.startsWith('array')
    const full = `${before}${name}${isList ? '[]' : ''}`
    return [
      [`\`${full}\``, field.type, meaning(field)],
      ...(field.inner === null ? [] : fieldRows(field.inner, `${full}.`)),
    ]
  })
}

const meaning = ({ about, unit }: Field): string =>
  [about, unit === '' ? '' : `(${unit})`].filter((part) => part !== '').join(' ')

function forecastTable(): string {
  return table(['field', '', 'meaning'], fieldRows(wholeShape(FORECAST as unknown as Question)))
}

function comparisonTable(): string {
  return table(['field', '', 'meaning'], fieldRows(wholeShape(COMPARISON)))
}

function questionNames(): string {
  return table(
    ['question', 'asks', 'answers'],
    all.map(({ name, asks, about }) => [
      `\`${name}\``,
      Object.keys(asks)
        .map((one) => `\`${one}\``)
        .join(', '),
      about,
    ]),
  )
}

const AT = orNone(text('where in the code, `file:line`; null where that is not known'))

/** Paths are names there, and what only views need is left out. */
function inspectTables(): string {
  const without = (shape: Shape, ...names: string[]): Shape =>
    Object.fromEntries(Object.entries(shape).filter(([name]) => !names.includes(name)))
  const parts: [string, Shape][] = [
    ['spikes', without(SPIKE, 'causes')],
    ['spikes[].causes', { ...without(CAUSE, 'pathId'), at: AT }],
    ['findings', { ...without(FINDING, 'pathId', 'view', 'load'), at: AT }],
    ['collections', without(COLLECTION, 'blame')],
    ['roster', { ...without(ROSTER_ROW, 'marker', 'path'), at: AT }],
  ]
  return table(
    ['field', '', 'meaning'],
    parts.flatMap(([name, shape]) => fieldRows(shape, `${name}[].`)),
  )
}

/** The optional columns of chunks, with their bounds. */
function columnRules(): string {
  const bounds = ({ holds, least, most }: ColumnRule): string =>
    holds === 'number'
      ? 'any finite number'
      : holds === 'amount'
        ? `from ${least} on`
        : `whole, ${least} to ${most.toLocaleString('en')}`
  const rows = (where: string, rules: Record<string, ColumnRule>) =>
    entriesOf(rules).map(([, rule]) => [
      `\`${where}.${rule.wire}\``,
      bounds(rule),
      rule.empty === null ? 'needed' : String(rule.empty),
      COLUMN_WORDS[`${where}.${rule.wire}`]!,
    ])
  return table(
    ['column', 'holds', 'where it is left out', 'meaning'],
    [
      ...rows('frames', FRAME_COLUMNS),
      ...rows('lanes[]', SPAN_DETAILS),
      ...SAMPLE_NAMES.flatMap((name) => rows(`${name}[]`, SAMPLES[name].columns)),
      ...rows('jobs', JOB_COLUMNS),
    ],
  )
}
