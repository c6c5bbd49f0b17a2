/** Names come from games: in a report as Markdown they are text, whatever they hold, to a reader that is not ours. */
import { expect } from 'chai'
import fc from 'fast-check'
import { marked } from 'marked'
import { proofReport } from '@lapsus/core/compare'
import { checkReport } from '@lapsus/core/gate'
import { devicesReport, historyReport } from '@lapsus/core/history'
import { writeReport } from '@lapsus/core/report'
import { inMarkdown, tableLines } from '@lapsus/core/words'

const HOSTILE = [
  '<img src=x onerror=alert(1)>',
  '![x](http://evil.example/p.png)',
  '[click](javascript:alert(1))',
  'https://evil.example/a',
  'www.evil.example',
  'me@evil.example',
  '<https://evil.example>',
  '`code` | cell | **bold** _it_ ~~gone~~',
  '\n\n# heading\n\n- list',
  '&lt;b&gt; &#60;b&#62;',
  '\\<b>',
  '[x]: http://evil.example',
  'nul \0',
]
const NOTHING_BUT = /^(?:p|h1|h2|table|thead|tbody|tr|th|td|ul|li|strong|em|br)$/

const tagsOf = (html: string): string[] => [...html.matchAll(/<\/?([a-z0-9]+)/gi)].map(([, tag]) => tag!)
const textOf = (html: string): string =>
  html
    .replaceAll(/<[^>]*>/g, '')
    .replaceAll(
      /&(lt|gt|quot|#39|amp);/g,
      (_, name: string) => ({ lt: '<', gt: '>', quot: '"', '#39': "'", amp: '&' })[name]!,
    )
const rendered = (markdown: string): string => marked.parse(markdown, { async: false, gfm: true })

const piece = fc.oneof(fc.constantFrom(...HOSTILE), fc.string(), fc.string({ unit: 'binary' }))
const hostile = fc.array(piece, { minLength: 1, maxLength: 4 }).map((parts) => parts.join(' '))
const asShown = (text: string): string => text.replaceAll(/\s+/g, ' ').trim()

describe('text in Markdown', () => {
  it('is read as the same text, and as nothing else, in the middle of a line', () => {
    fc.assert(
      fc.property(hostile, (text) => {
        expect(inMarkdown(text)).not.to.contain('\0')
        const html = rendered(`x ${inMarkdown(text)} x`)
        expect(tagsOf(html).filter((tag) => tag !== 'p')).to.deep.equal([])
        expect(asShown(textOf(html))).to.equal(asShown(`x ${text.replaceAll('\0', '\ufffd')} x`))
      }),
    )
  })

  it('stays in its cell of a table', () => {
    fc.assert(
      fc.property(hostile, hostile, (head, cell) => {
        const html = rendered(tableLines(['a', head], [['1', cell]], true).join('\n'))
        expect(new Set(tagsOf(html))).to.deep.equal(new Set(['table', 'thead', 'tr', 'th', 'tbody', 'td']))
        expect(html.match(/<td>/g)).to.have.length(2)
      }),
    )
  })

  it('is so in every report that is written as Markdown', () => {
    for (const name of HOSTILE) {
      const row = {
        of: 'paths',
        name: [name],
        take: name,
        figure: name,
        value: 2,
        most: 1,
        outcome: 'breached',
        words: name,
      }
      const figures = { before: 1, forecast: 1, low: 1, high: 1, after: 1, even: 1 }
      const reports = [
        checkReport({ outcome: 'breached', rows: [row], problems: [name] } as never, true),
        devicesReport(
          {
            rows: [
              {
                device: name,
                about: name,
                p95Ms: 1,
                overShare: [0, 0, 0, 0, 0],
                collectionsPer1000: 0,
                heapBytes: null,
              },
            ],
            lowest: [0, 0, 0, 0, 0],
          } as never,
          true,
        ),
        historyReport(
          [
            {
              about: name,
              takes: [{ version: name, name, started: '' }],
              changes: [],
              appeared: [{ path: [name], lane: name, msPerFrame: 1, version: name, toVersion: name }],
              vanished: [],
              groups: [{ group: name, budgetMs: 1, ms: [2] }],
              figures: ['mean', 'p95', 'over'].map((one) => ({ name: one, values: [1] })),
              speed: [1],
            },
          ] as never,
          true,
        ),
        proofReport(
          {
            sentence: name,
            differences: [name],
            lines: [{ words: name, unit: 'ms', ...figures }],
            paths: [{ path: [name], ...figures }],
          } as never,
          true,
        ),
        writeReport(
          {
            title: name,
            about: name,
            blocks: [
              { heading: name },
              { lead: name },
              { text: name },
              { list: [name] },
              { heads: [name], rows: [[name]] },
              { picture: '', words: name },
            ],
          },
          'md',
        ),
      ]
      for (const report of reports) {
        expect(report).not.to.equal('')
        const tags = tagsOf(rendered(report)).filter((tag) => !NOTHING_BUT.test(tag))
        expect(tags, `${name}\n${report}`).to.deep.equal([])
      }
    }
  })
})
