/** Long work has an owner: it goes with its client, lets small work pass, and tells how far it is. */
import { expect } from 'chai'
import { randomBytes } from 'node:crypto'
import { EventEmitter } from 'node:events'
import type { Context } from 'koa'
import { connect, type Socket } from 'node:net'
import { gzipSync } from 'node:zlib'
import type { ImportResult, JobInfo } from '@lapsus/api'
import { jsonLine } from '@lapsus/core/exchange'
import { endRecord, type AnyRecord } from '@lapsus/core/format'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { keepComposite } from '../src/ingest/composite.ts'
import { keepExcerpt } from '../src/ingest/keep-excerpt.ts'
import type { Sources } from '../src/serve/answers/studies.ts'
import { makeReport } from '../src/serve/pool/make-report.ts'
import { named } from '../src/serve/pool/named-takes.ts'
import { JobProgress } from '../src/threads/job-progress.ts'
import type { RunningServer } from '../src/index.ts'
import { Jobs, LARGE_AT_ONCE, MOST_WAITING, SMALL_AT_ONCE, SMALL_BYTES } from '../src/serve/jobs.ts'
import { longFile } from './long-file.ts'
import { getJson, testServer, until } from './support.ts'

const small = (take: string) =>
  [
    takeRecord({ take }),
    declareRecord(1, [{ name: 'a' }]),
    chunkRecord(2, [{ lanes: [[node(0, 1_000_000)]], restNs: 0 }]),
    endRecord(3),
  ]
    .map(jsonLine)
    .join('')

describe('jobs', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const jobs = () => getJson<JobInfo[]>(server, '/api/jobs')
  const importing = (body: BodyInit, headers: Record<string, string> = {}) =>
    fetch(`${server.address}/api/imports`, { method: 'POST', body, headers })

  /** Sends a request, and waits for nothing: what waits for its turn is not read to its end. */
  function upload(body: Buffer, target = '/api/imports'): Socket {
    const { hostname, port } = new URL(server.address)
    const socket = connect(Number(port), hostname)
    socket.on('error', () => {})
    socket.write(
      `POST ${target} HTTP/1.1\r\nHost: ${hostname}:${port}\r\nContent-Length: ${body.length}\r\n\r\n`,
    )
    socket.write(body)
    return socket
  }

  it('of senders that hang up end with them, and hold up no import', async () => {
    const file = longFile(6_000_000)
    const sockets = [1, 2, 3].map(() => upload(file))
    await until(
      async () => (await jobs()).filter(({ state }) => state === 'running').length === 3,
      'three run',
    )
    // A fourth waits for its turn; a small one does not.
    const fourth = upload(file)
    await until(async () => (await jobs()).some(({ state }) => state === 'waiting'), 'one waits')
    const passing = await importing(small('passes-by-the-large'))
    expect(passing.status).to.equal(201)
    expect((await jobs()).length).to.be.greaterThan(1)
    for (const socket of [...sockets, fourth]) socket.destroy()
    await until(async () => (await jobs()).length === 0, 'all have gone with their senders')
    const after = await importing(small('comes-after-all-of-them'))
    expect(((await after.json()) as ImportResult).frames).to.equal(1)
  })

  it('tell how far they are, and are stopped by who watches', async () => {
    const file = longFile(6_000_000)
    const before = await server.store.takes.count()
    const running = importing(file as BodyInit, { 'Lapsus-Job': 'job-of-my-own-1' })
    await until(async () => (await jobs()).some(({ bytes }) => bytes > 0), 'it moves')
    const [job] = await jobs()
    expect(job).to.include({ id: 'job-of-my-own-1', kind: 'import', state: 'running', ofBytes: file.length })
    expect(await getJson<JobInfo>(server, '/api/jobs/job-of-my-own-1')).to.include({ kind: 'import' })
    const stop = () => fetch(`${server.address}/api/jobs/job-of-my-own-1`, { method: 'DELETE' })
    expect((await stop()).status).to.equal(204)
    const answer = await running
    expect(answer.status).to.equal(409)
    expect(answer.headers.get('lapsus-job')).to.equal('job-of-my-own-1')
    expect(((await answer.json()) as { detail: string }).detail).to.equal('the job was stopped')
    expect((await stop()).status).to.equal(404)
    expect(await jobs()).to.deep.equal([])
    // No frame had come: nothing of it stays.
    expect(await server.store.takes.count()).to.equal(before)
  })

  it('that are to be kept go on without their client', async () => {
    const body = gzipSync(small('kept-on-purpose'))
    const socket = upload(body, '/api/imports?keep=1')
    await until(async () => socket.bytesWritten > body.length && socket.writableLength === 0, 'it is sent')
    socket.end(() => socket.destroy())
    await until(
      async () =>
        (await server.store.takes.count({ where: { id: 'kept-on-purpose', state: 'complete' } })) === 1,
      'it is stored',
    )
  })

  it('refuse what is made to unpack for ever', async () => {
    const zeros = gzipSync(Buffer.alloc(80_000_000))
    const answer = await importing(zeros as BodyInit)
    expect(answer.status).to.equal(422)
    const lines = Buffer.concat([
      gzipSync(small('unpacks-for-ever').split('\n')[0]! + '\n'),
      gzipSync(`${' '.repeat(79_999)}\n`.repeat(1_000)),
    ])
    const { problem } = (await (await importing(lines as BodyInit)).json()) as ImportResult
    expect(problem).to.contain('unpacks to more than 300 times its size')
  })

  it('unpack up to 300 times their size, and no more', async () => {
    /** 66 MB of lines that are no records, of which each has so many letters. */
    const packed = (letters: number) => {
      const line = () =>
        `{"${randomBytes(12).toString('hex')}":"${'no record at all '.repeat(letters / 17)}"}\n`
      const member = Array.from({ length: Math.ceil(2e6 / letters) }, line).join('')
      const [head, bytes] = [gzipSync(small('unpacks-so-far').split('\n')[0]! + '\n'), gzipSync(member)]
      const file = Buffer.concat([head, ...Array<Buffer>(Math.ceil(68e6 / member.length)).fill(bytes)])
      return { file, ratio: member.length / bytes.length }
    }
    const problemOf = async (body: Buffer) =>
      ((await (await importing(body as BodyInit)).json()) as ImportResult).problem
    let [below, above] = [packed(7_000), packed(7_000)]
    for (let letters = 7_000; above.ratio < 303; letters += 400) {
      if (above.ratio < 297) below = above
      above = packed(letters)
    }
    expect(below.ratio).to.be.within(270, 297)
    expect(above.ratio).to.be.within(303, 330)
    expect(await problemOf(below.file)).to.contain('the take breaks off')
    expect(await problemOf(above.file)).to.contain('unpacks to more than 300 times its size')
  })

  it('give exports, excerpts and reports a number, too', async () => {
    await importing(
      bytesOf([
        takeRecord({ take: 'numbered-take' }),
        declareRecord(1, [{ name: 'a' }]),
        chunkRecord(2, [{ lanes: [[node(0, 1_000_000)]], restNs: 0 }]),
        endRecord(3),
      ]) as BodyInit,
    )
    const file = await fetch(`${server.address}/api/takes/numbered-take/file`)
    expect((await file.arrayBuffer()).byteLength).to.be.greaterThan(100)
    const excerpt = await fetch(`${server.address}/api/takes/numbered-take/excerpts`, {
      ...{ method: 'POST', headers: { 'content-type': 'application/json' } },
      body: JSON.stringify({ from: 0, to: 0, name: 'one frame' }),
    })
    expect(excerpt.status).to.equal(201)
    const report = await fetch(`${server.address}/api/report?take=numbered-take&format=md`)
    expect(report.status).to.equal(200)
    for (const answer of [file, excerpt, report])
      expect(answer.headers.get('lapsus-job')).to.match(/^[0-9a-f-]{36}$/)
    expect(await jobs()).to.deep.equal([])
  })

  it('leave nothing of an excerpt or a composite that was stopped half way', async () => {
    const chunks = Array.from({ length: 4 }, (_, i) =>
      chunkRecord(2 + i, [{ lanes: [[node(0, 1_000_000)]], restNs: 0 }]),
    )
    for (const take of ['half-way-1', 'half-way-2']) {
      const records = [takeRecord({ take }), declareRecord(1, [{ name: 'a' }]), ...chunks, endRecord(6)]
      await importing(bytesOf(records) as BodyInit)
    }
    /** Stopped when most of the records have passed. */
    class StopsLater extends JobProgress {
      #records = 0
      override passed(record: AnyRecord): void {
        if (++this.#records === 5) this.stop()
        super.passed(record)
      }
    }
    const { store } = server
    const row = (await store.takes.findOne({ where: { id: 'half-way-1' } }))!
    const writer = { next: (record: AnyRecord, take: string) => [{ ...record, take }] } as never
    for (const [what, work] of [
      [
        'excerpt',
        (progress: JobProgress) => keepExcerpt(store, row, { from: 0, to: 3, name: 'part' }, progress),
      ],
      ['composite', (progress: JobProgress) => keepComposite(store, row, writer, 'both', progress)],
    ] as const) {
      const stored = async () => [await store.takes.count(), await store.chunks.count()]
      const before = await stored()
      const progress = new StopsLater()
      const failed = await work(progress).then(null, (error: unknown) => error)
      expect(failed, what).to.include({ status: 409 })
      expect(progress.told.frames, what).to.be.at.least(2)
      expect(await stored(), what).to.deep.equal(before)
    }
  })
})

describe('the progress of a job', () => {
  it('is shared with whoever has its memory', () => {
    const own = new JobProgress()
    own.of({ bytes: 10 })
    const other = new JobProgress(own.memory)
    other.did({ bytes: 3, frames: 2 })
    expect(own.told).to.deep.equal({ bytes: 3, ofBytes: 10, frames: 2, ofFrames: 0 })
    own.stop()
    expect(() => other.did({ bytes: 1 })).to.throw('the job was stopped')
  })
})

describe('turns of jobs', () => {
  /** What a request looks like to them. @returns what ends its client, beside the context */
  function request() {
    const res = Object.assign(new EventEmitter(), { writableFinished: false, headersSent: false })
    const context = { query: {}, set() {}, get: () => '', req: { socket: {} }, res } as unknown as Context
    return { context, hangUp: () => res.emit('close') }
  }

  /** One that runs until it is told to end, or is stopped. */
  function asked(jobs: Jobs, bytes: number, name = `${bytes}`) {
    const { context, hangUp } = request()
    const begun: string[] = []
    let end = () => {}
    const done = jobs.run(context, { kind: 'import', name, bytes }, async (progress) => {
      begun.push(name)
      await new Promise<void>((resolve) => {
        end = resolve
        const timer = setInterval(() => progress.isStopped && resolve(), 10)
        void Promise.resolve().then(() => timer.unref())
      })
      progress.check()
    })
    done.catch(() => {})
    return { done, hangUp, end: () => end(), isBegun: () => begun.length > 0 }
  }
  const running = (jobs: Jobs) => jobs.list().filter(({ state }) => state === 'running')
  const settled = () => new Promise((resolve) => setTimeout(resolve, 20))

  it('are three at once, and two more of at most 1 MB; the smallest is next', async () => {
    const jobs = new Jobs(false)
    const large = [9, 8, 7].map((mb) => asked(jobs, mb * SMALL_BYTES))
    const waiting = [6, 4, 5].map((mb) => asked(jobs, mb * SMALL_BYTES))
    const justLarge = asked(jobs, SMALL_BYTES + 1)
    const small = Array.from({ length: SMALL_AT_ONCE }, () => asked(jobs, SMALL_BYTES))
    const oneMore = asked(jobs, 1)
    await settled()
    expect(large.map((one) => one.isBegun())).to.deep.equal(Array(LARGE_AT_ONCE).fill(true))
    expect(small.map((one) => one.isBegun())).to.deep.equal([true, true])
    for (const one of [...waiting, justLarge, oneMore]) expect(one.isBegun()).to.equal(false)
    small[0]!.end()
    await settled()
    expect(oneMore.isBegun()).to.equal(true)
    for (const one of [justLarge, waiting[1]!, waiting[2]!, waiting[0]!]) {
      expect(one.isBegun()).to.equal(false)
      large.shift()!.end()
      large.push(one)
      await settled()
      expect(one.isBegun()).to.equal(true)
    }
    for (const one of [...large, ...small, oneMore]) one.end()
    await settled()
    expect(jobs.list()).to.deep.equal([])
  })

  it('are waited for by at most 64; one whose client hangs up meanwhile waits no longer, and is not done', async () => {
    const jobs = new Jobs(false)
    const all = Array.from({ length: LARGE_AT_ONCE + MOST_WAITING }, () => asked(jobs, 2 * SMALL_BYTES))
    const beyond = await asked(jobs, 2 * SMALL_BYTES).done.catch((error: unknown) => error)
    expect(beyond).to.include({ status: 503, message: 'too much long work is waiting; ask again soon' })
    all.at(-1)!.hangUp()
    const gone = await all.at(-1)!.done.catch((error: unknown) => error)
    expect(gone).to.include({ status: 409, message: 'the job was stopped' })
    expect(all.at(-1)!.isBegun()).to.equal(false)
    expect(jobs.list()).to.have.length(LARGE_AT_ONCE + MOST_WAITING - 1)
    expect(running(jobs)).to.have.length(LARGE_AT_ONCE)
    for (const one of all) one.hangUp()
    await Promise.allSettled(all.map(({ done }) => done))
    expect(jobs.list()).to.deep.equal([])
  })

  it('end when nothing moves for too long, and not while something does', async () => {
    const jobs = new Jobs(false, 1_000)
    const still = asked(jobs, 1)
    const { context } = request()
    let isOver = false
    const moving = jobs.run(context, { kind: 'import', name: '', bytes: 1 }, async (progress) => {
      while (!isOver) {
        progress.did({ bytes: 1 })
        await settled()
      }
    })
    expect(await still.done.catch((error: unknown) => error)).to.include({ status: 409 })
    await new Promise((resolve) => setTimeout(resolve, 1_000))
    isOver = true
    await moving
  })
})

describe('a job that reads several takes', () => {
  it('ends between one and the next when it is stopped: reports, and composites', async () => {
    const row = { id: 'one-of-several', name: 'One', frames: 5, gameId: 1, target: 60, started: new Date() }
    const game = { findByPk: async () => ({ game: 'Game' }) }
    for (const work of [
      (sources: Sources, progress: JobProgress) =>
        makeReport(sources, { of: 'comparison', before: ['a', 'b'], after: ['c'] }, progress),
      (sources: Sources, progress: JobProgress) => named(sources, ['a', 'b', 'c'], progress),
    ]) {
      const progress = new JobProgress()
      let read = 0
      const part = async () => {
        if (++read === 2) progress.stop()
        return { target: 60 }
      }
      const takes = { findByPk: async () => row, findOne: async () => row }
      const sources = { store: { takes, games: game }, studies: { part } } as unknown as Sources
      const failed = await work(sources, progress).then(null, (error: unknown) => error)
      expect(failed).to.include({ status: 409, message: 'the job was stopped' })
      expect(read).to.equal(2)
    }
  })
})
