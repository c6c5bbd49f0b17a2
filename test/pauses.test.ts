/** A loop that rests, in every language: its last frame ends where it stands, and a stretch begins with the next. */
import { expect } from 'chai'
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { postedRecords } from '@lapsus/core/exchange'
import type { ChunkRecord } from '@lapsus/core/format'
import { ROOT } from './support/npm-start.ts'

const own = (path: string) => join(ROOT, 'test/emitters', path)
/** It rests for so long, after so many frames, and once more at its end. */
const REST_NS = 300_000_000
const BEFORE = 20

describe('a pause of an emitter', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-pauses-'))
  after(() => rmSync(folder, { recursive: true }))

  const pulse = join(folder, 'pulse')
  const GAMES: { name: string; build?: string[]; play: string[] }[] = [
    {
      name: 'C',
      build: ['gcc', '-std=c99', '-o', pulse, own('pulse.c'), '-pthread', '-lm'],
      play: [pulse],
    },
    { name: 'Python', play: ['python3', own('pulse.py')] },
    { name: 'Lua', play: ['lua5.4', own('pulse.lua')] },
    {
      name: 'C#',
      build: ['mcs', `-out:${pulse}.exe`, own('Pulse.cs'), join(ROOT, 'emitters/csharp/Lapsus.cs')],
      play: ['mono', `${pulse}.exe`],
    },
  ]

  for (const { name, build, play } of GAMES) {
    it(`ends the open frame where it stands, in ${name}`, () => {
      if (build !== undefined) expect(spawnSync(build[0]!, build.slice(1)).status).to.equal(0)
      const file = join(folder, name)
      const { status, stdout } = spawnSync(play[0]!, [...play.slice(1), file, '0', 'pause'], {
        encoding: 'utf8',
      })
      expect(status).to.equal(0)
      const records = [...postedRecords(readFileSync(file))].map(({ record }) => record)
      const chunks = records.filter((record): record is ChunkRecord => record.record === 'chunk')
      const frames = chunks.flatMap(({ frameStartNs, frameDurationNs }) =>
        [...frameStartNs].map((start, i) => ({ start, end: start + frameDurationNs[i]! })),
      )
      expect(frames.length).to.equal(Number(stdout))
      const asked = (frame: number) => frames[frame]!.start - frames[frame - 1]!.end
      expect(asked(BEFORE)).to.be.at.least(REST_NS * 0.95)
      expect(asked(BEFORE - 1)).to.equal(0)
      const after = chunks.findIndex(({ stretch }) => stretch?.cause === 'pause')
      expect(chunks.filter(({ stretch }) => stretch !== null)).to.have.length(1)
      const counted = chunks.slice(0, after).reduce((sum, { frameStartNs }) => sum + frameStartNs.length, 0)
      expect(counted).to.equal(BEFORE)
      // The last of all ends with what ran in it, though the game rests on before it closes.
      const last = frames.at(-1)!
      const ran = chunks.at(-1)!.lanes[0]!.durationNs.at(-1)!
      expect(last.end - last.start - ran).to.be.below(REST_NS)
      // What was said meanwhile is kept with the next frame.
      const moments = chunks.map(({ moments: said }) => said.map((moment) => moment.name))
      expect(moments[after]).to.deep.equal(['rest'])
      expect(moments.flat()).to.have.length(1)
      expect(chunks.reduce((sum, { repaired, dropped }) => sum + repaired + dropped, 0)).to.equal(0)
    })
  }
})
