/** Where in the code markers stand, and the lines around them: kept, bounded, taken out again as they were. */
import { expect } from 'chai'
import fc from 'fast-check'
import { AnySource, exporter, jsonLine } from '@lapsus/core/exchange'
import {
  asFields,
  encodeRecord,
  LIMITS,
  RecordReader,
  validateRecord,
  wireRecord,
  type AnyRecord,
  type DeclareRecord,
  type Place,
} from '@lapsus/core/format'
import { Declarations, sourceAround } from '@lapsus/core/take'
import { reportOfTake, writeReport } from '@lapsus/core/report'
import { placeWords, shortPlace } from '@lapsus/core/words'
import { sourceOfStudy } from './support/source.ts'
import { recordsFrom, run, studyFrom } from './support/studies.ts'
import { declareRecord, takeRecord } from './support/takes.ts'

const MS = 1e6
const arbitraryPlace = fc.record({
  file: fc.string({ minLength: 1, maxLength: 40, unit: 'grapheme' }).filter((text) => text.length <= 200),
  line: fc.integer({ min: 1, max: 0xffff_ffff }),
  source: fc.option(
    fc.record({
      from: fc.integer({ min: 1, max: 0xffff_ffff }),
      lines: fc.array(fc.string({ maxLength: 60 }), { maxLength: LIMITS.sourceLines }),
    }),
  ),
})

const declared = (at: Place | null): DeclareRecord => {
  const record = declareRecord(1, [{ name: 'sim' }])
  return { ...record, markers: [{ ...record.markers[0]!, at }] }
}

function read(text: string): AnyRecord[] {
  const source = new AnySource({ take: 'given-identity', game: 'Given', frameMarker: undefined })
  const records: AnyRecord[] = []
  source.push(new TextEncoder().encode(text), (record) => records.push(record))
  source.finish((record) => records.push(record))
  return records
}

describe('the place of a marker in a take', () => {
  it('is read back as it was written, as CBOR and as JSON', () => {
    fc.assert(
      fc.property(arbitraryPlace, (at) => {
        const record = declared(at)
        const read: AnyRecord[] = []
        new RecordReader().push(Buffer.concat([encodeRecord(takeRecord()), encodeRecord(record)]), (one) =>
          read.push(one),
        )
        expect(read[1]).to.deep.equal(record)
        expect(validateRecord(JSON.parse(jsonLine(record)))).to.deep.equal(record)
      }),
    )
  })

  it('is as long as a take can hold, and refused by its field beyond it', () => {
    const wire = (at: unknown) => {
      const record = asFields(wireRecord(declared(null)), 'record')
      return { ...record, markers: [{ id: 0, name: 'sim', at }] }
    }
    const longest = {
      file: 'x'.repeat(LIMITS.fileLength),
      line: 0xffff_ffff,
      source: { from: 1, lines: Array<string>(LIMITS.sourceLines).fill('y'.repeat(LIMITS.sourceWidth)) },
    }
    expect((validateRecord(wire(longest)) as DeclareRecord).markers[0]!.at).to.deep.equal(longest)
    const wrong: [object | string, string][] = [
      ['moths.ts', '"at"'],
      [{ ...longest, file: '' }, '"file"'],
      [{ ...longest, file: `${longest.file}x` }, '"file"'],
      [{ ...longest, file: 7 }, '"file"'],
      [{ ...longest, line: 0 }, '"line"'],
      [{ ...longest, line: 1.5 }, '"line"'],
      [{ ...longest, line: 2 ** 32 }, '"line"'],
      [{ ...longest, source: [] }, '"source"'],
      [{ ...longest, source: { from: 0, lines: [] } }, '"from"'],
      [{ ...longest, source: { from: 1, lines: [...longest.source.lines, ''] } }, '"lines"'],
      [{ ...longest, source: { from: 1, lines: ['y'.repeat(LIMITS.sourceWidth + 1)] } }, '"lines[0]"'],
      [{ ...longest, source: { from: 1, lines: [null] } }, '"lines[0]"'],
      [{ ...longest, source: { from: 1, lines: 'x' } }, '"lines"'],
    ]
    for (const [at, field] of wrong)
      expect(validateRecord(wire(at)).leftOut?.[0]?.why, field).to.contain(field)
  })

  it('may come after the marker, its lines after that; what is known stays', () => {
    const all = new Declarations()
    const at = { file: 'moths.ts', line: 42, source: null }
    const source = { from: 41, lines: ['a', 'b'] }
    expect(all.apply(declared(null)).markers).to.have.length(1)
    expect(all.apply(declared(null)).placed).to.deep.equal([])
    expect(all.apply(declared(at)).placed.map((one) => one.at)).to.deep.equal([at])
    expect(all.apply(declared({ ...at, file: 'other.ts' })).placed).to.deep.equal([])
    const [lined] = all.apply(declared({ file: 'other.ts', line: 1, source })).placed
    expect(lined!.at).to.deep.equal({ ...at, source })
    expect(all.apply(declared({ ...at, source: { from: 1, lines: [] } })).placed).to.deep.equal([])
    expect(all.marker(0)).to.deep.equal(lined)
  })

  it('goes through OpenTelemetry, by the names of its conventions', () => {
    const frames = Array.from({ length: 3 }, () => ({ runs: [run('sim', MS), run('draw', MS)] }))
    const markers = { sim: { at: { file: 'src/moths.ts', line: 42, source: null } } }
    const records: AnyRecord[] = [takeRecord(), ...recordsFrom(frames, { markers })]
    const write = exporter('otlp')
    const text = records.map((record) => write(record)).join('')
    expect(text).to.contain('{"key":"code.file.path","value":{"stringValue":"src/moths.ts"}}')
    expect(text).to.contain('{"key":"code.line.number","value":{"intValue":"42"}}')
    const placesIn = (otlp: string) =>
      Object.fromEntries(
        read(otlp).flatMap((record) =>
          record.record === 'declare' ? record.markers.map(({ name, at }) => [name, at]) : [],
        ),
      ) as Record<string, Place | null>
    expect(placesIn(text)['sim']).to.deep.equal(markers.sim.at)
    expect(placesIn(text)['draw']).to.equal(null)
    const older = text
      .replaceAll('code.file.path', 'code.filepath')
      .replaceAll('code.line.number', 'code.lineno')
    expect(placesIn(older)['sim']).to.deep.equal(markers.sim.at)
    // What cannot be is no place.
    for (const bad of ['-1', '0', '4294967296'])
      expect(placesIn(text.replaceAll('"intValue":"42"', `"intValue":"${bad}"`))['sim'], bad).to.equal(null)
    expect(placesIn(text.replaceAll('src/moths.ts', 'x'.repeat(300)))['sim']).to.equal(null)
  })

  it('is said with its file, or the file’s last name', () => {
    expect(placeWords({ file: 'src/a/moths.ts', line: 42 })).to.equal('src/a/moths.ts:42')
    expect(shortPlace({ file: 'src/a/moths.ts', line: 42 })).to.equal('moths.ts:42')
    expect(shortPlace({ file: 'moths.ts', line: 1 })).to.equal('moths.ts:1')
  })
})

describe('the source around a marker', () => {
  const FILE = Array.from({ length: 10 }, (_, i) => `line ${i + 1}`)
  const at = (line: number, file = 'a.ts'): Place => ({ file, line, source: null })
  const around = (places: (Place | null)[], text: string | null = FILE.join('\n')) =>
    sourceAround(
      places.map((one, id) => ({ id, at: one })),
      () => text,
    )

  it('is two lines before and six after, as far as there are any', () => {
    expect(around([at(5), at(1), at(10), at(11), null])).to.deep.equal([
      { marker: 0, from: 3, lines: FILE.slice(2, 10) },
      { marker: 1, from: 1, lines: FILE.slice(0, 7) },
      { marker: 2, from: 8, lines: FILE.slice(7, 10) },
    ])
    expect(around([at(1)], 'a\r\nb\rc')).to.deep.equal([{ marker: 0, from: 1, lines: ['a', 'b', 'c'] }])
  })

  it('is nothing of what is no text, is not there, or is kept already', () => {
    expect(around([at(1)], null)).to.deep.equal([])
    expect(around([at(1)], 'a\0b')).to.deep.equal([])
    expect(around([{ ...at(1), source: { from: 1, lines: [] } }])).to.deep.equal([])
  })

  it('is cut to what a take can hold, never within a character', () => {
    const [found] = around([at(1)], `${'x'.repeat(199)}😀`)
    expect(found!.lines).to.deep.equal(['x'.repeat(199)])
    const wide = 'y'.repeat(LIMITS.sourceWidth + 5)
    expect(around([at(1)], wide)[0]!.lines).to.deep.equal(['y'.repeat(LIMITS.sourceWidth)])
    const many = Array.from({ length: 2_000 }, () => at(5))
    const most = around(many, Array<string>(10).fill(wide).join('\n'))
    // Eight lines of ten, 1,600 letters each, of 262,144 in all.
    expect(most).to.have.length(163)
  })

  it('asks for each file once', () => {
    const asked: string[] = []
    sourceAround(
      [at(1), at(2), at(1, 'b.ts'), at(3)].map((one, id) => ({ id, at: one })),
      (file) => {
        asked.push(file)
        return 'x'
      },
    )
    expect(asked).to.deep.equal(['a.ts', 'b.ts'])
  })
})

describe('a report of a take whose code is known', () => {
  const lines = ['const reach = 3', 'if (a < b) `measure`</pre>', '```', 'return']
  const place: Place = { file: 'src/lamp.ts', line: 42, source: { from: 41, lines } }
  const study = studyFrom(
    Array.from({ length: 240 }, () => ({ runs: [run('sim', 12 * MS)] })),
    { markers: { sim: { at: place } } },
  )
  const title = { game: 'Test Game', name: '', started: '2026-01-02T03:04:05.000Z' }

  it('names the place beside the finding, and shows the lines as they were, as text', async () => {
    const report = await reportOfTake(sourceOfStudy(study), title)
    const html = writeReport(report, 'html')
    expect(html).to.contain('(src/lamp.ts:42)')
    expect(html).to.contain('<b><i>42</i>if (a &lt; b) `measure`&lt;/pre&gt;</b>')
    expect(html).to.contain('<i>41</i>const reach = 3')
    expect(html.split('<pre>')).to.have.length(2)
    const markdown = writeReport(report, 'md')
    expect(markdown).to.contain(`\`\`\`\`\n${lines.join('\n')}\n\`\`\`\``)
  })

  it('has no such part where no lines were kept', async () => {
    const bare = studyFrom(
      Array.from({ length: 240 }, () => ({ runs: [run('sim', 12 * MS)] })),
      { markers: { sim: { at: { ...place, source: null } } } },
    )
    const html = writeReport(await reportOfTake(sourceOfStudy(bare), title), 'html')
    expect(html).to.contain('(src/lamp.ts:42)')
    expect(html).to.not.contain('<pre>')
  })
})
