/** A database of several nodes: how it is named, which node is used, and what only one server does at a time. */
import { createServer, type AddressInfo, type Server } from 'node:net'
import { expect } from 'chai'
import { configFromEnvironment, WrongSetting } from '../src/config.ts'
import { open } from '../src/store/connection.ts'
import { databaseAddress, shownAddress } from '@lapsus/api'
import { triedAgain } from '../src/store/tried-again.ts'
import { Leases } from '../src/store/lease.ts'
import { Nodes } from '../src/store/nodes.ts'
import { detourTo, freshDatabase, testServer, until } from './support.ts'

describe('the address of a database', () => {
  it('names one host or several, with or without ports', () => {
    expect(databaseAddress('mariadb://me:a%40b@h1:3307,h2,[::1]:3308/lapsus')).to.deep.equal({
      nodes: [
        { host: 'h1', port: 3307 },
        { host: 'h2', port: 3306 },
        { host: '::1', port: 3308 },
      ],
      ...{ user: 'me', password: 'a@b', database: 'lapsus' },
    })
    expect(databaseAddress('mysql://h/d')).to.deep.include({ user: '', password: '', database: 'd' })
  })

  it('is refused where a part of it is none, and never shows the password', () => {
    for (const wrong of [
      '',
      'postgres://u:p@h/d',
      'mariadb://u:p@h',
      'mariadb://u:p@h/',
      'mariadb://u:p@/d',
      'mariadb://u:p@h1,/d',
      'mariadb://u:p@h1:99999/d',
      'mariadb://u:p@h1:33x/d',
      'mariadb://u:%zz@h/d',
    ])
      expect(databaseAddress(wrong), wrong).to.equal(null)
    const address = databaseAddress('mariadb://me:secret@h1,h2:3307/lapsus')!
    expect(shownAddress(address)).to.equal('h1:3306,h2:3307/lapsus')
    const read = () => configFromEnvironment({ DATABASE_URL: 'mariadb://u:secret@h1,:1/d' })
    expect(read).to.throw(WrongSetting, 'host:port,host:port')
    expect(read).not.to.throw('secret')
  })
})

describe('nodes of a database', () => {
  /** Takes connections, and never says a word. */
  async function silentNode(): Promise<{ server: Server; host: string }> {
    const server = createServer((socket) => socket.on('error', () => {}))
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    return { server, host: `127.0.0.1:${(server.address() as AddressInfo).port}` }
  }
  const named = (url: string, ...before: string[]) => url.replace('@', `@${before.join(',')},`)

  it('are passed over where nobody listens, or nobody answers', async () => {
    const silent = await silentNode()
    const nodes = new Nodes(databaseAddress(named(await freshDatabase(), '127.0.0.1:1', silent.host))!)
    const connection = await nodes.connect({})
    expect(await connection.query('SELECT 1 AS one')).to.deep.equal([{ one: 1 }])
    const [row] = (await connection.query('SELECT @@SESSION.wsrep_sync_wait AS waits')) as {
      waits: unknown
    }[]
    expect(Number(row!.waits)).to.equal(7)
    // The next connection goes there at once.
    expect(String(nodes.current.port)).to.equal(new URL(await freshDatabase()).port)
    connection.destroy()
    silent.server.close()
  })

  it('that are left lose their connections, in every thread that knows them', async () => {
    const url = await freshDatabase()
    const { port } = new URL(url)
    const address = () => databaseAddress(named(url, `127.0.0.1:${port}`))!
    const [one, other] = [new Nodes(address()), new Nodes(address())]
    const [first, second] = [await one.connect({}), await other.connect({})]
    one.leave(one.current)
    const failure = await first.query('SELECT 1').catch((error: Error) => error)
    expect(failure).to.be.instanceOf(Error)
    await until(() => !second.isValid(), 'the other hears of it')
    // Both still have a node to go to.
    for (const nodes of [one, other]) (await nodes.connect({})).destroy()
  })

  it('hand over when one hangs: what waits fails, and what comes next is answered', async () => {
    const url = await freshDatabase()
    let delay: number | null = 0
    const detour = await detourTo(url, () => delay)
    const server = await testServer({ databaseUrl: named(url, new URL(detour.url).host) })
    const status = async () => (await fetch(`${server.address}/api/takes`)).status
    expect(await status()).to.equal(200)
    delay = null
    await until(async () => (await status()) === 200, 'the other node is used')
    expect(((await (await fetch(`${server.address}/health`)).json()) as { status: string }).status).to.equal(
      'ok',
    )
    delay = 0
    await server.stop()
    await detour.stop()
  })
})

describe('several servers on one database', () => {
  it('start at once: one of them brings it up to date', async () => {
    const databaseUrl = await freshDatabase()
    const servers = await Promise.all([1, 2, 3].map(() => testServer({ databaseUrl })))
    for (const { address } of servers) expect((await fetch(`${address}/api/takes`)).status).to.equal(200)
    await Promise.all(servers.map((server) => server.stop()))
  })

  it('do alone what a lease is taken for, one after the other', async () => {
    const database = open(await freshDatabase())
    const [one, other] = [new Leases(database), new Leases(database)]
    await one.prepare()
    await other.prepare()
    const order: string[] = []
    const work = (leases: Leases, name: string) =>
      leases.alone('sweep', async () => {
        order.push(`${name} begins`)
        await new Promise((resolve) => setTimeout(resolve, 30))
        order.push(`${name} ends`)
      })
    await Promise.all([work(one, 'one'), work(other, 'other')])
    expect(order[1]!.split(' ')[0]).to.equal(order[0]!.split(' ')[0])
    expect(order).to.have.length(4)
    expect(await one.take('sweep')).to.equal(true)
    expect(await other.take('sweep')).to.equal(false)
    // Whoever holds it renews it.
    expect(await one.take('sweep')).to.equal(true)
    // One that died lets go in time.
    await database.query("UPDATE leases SET until = NOW(3) - INTERVAL 1 SECOND WHERE name = 'sweep'")
    expect(await other.take('sweep')).to.equal(true)
    await one.letGo('sweep')
    expect(await one.take('sweep')).to.equal(false)
    await database.close()
  })

  it('try again what was in each other’s way, and nothing else', async () => {
    let tries = 0
    const conflict = Object.assign(new Error('Deadlock found'), { errno: 1213 })
    const done = await triedAgain(async () => {
      if (++tries < 4) throw conflict
      return 'done'
    })
    expect([done, tries]).to.deep.equal(['done', 4])
    tries = 0
    const always = triedAgain(async () => {
      tries++
      throw conflict
    })
    expect(await always.catch((error: unknown) => error)).to.equal(conflict)
    expect(tries).to.equal(8)
    const wrong = Object.assign(new Error('Unknown column'), { errno: 1054 })
    tries = 0
    const once = triedAgain(async () => {
      tries++
      throw wrong
    })
    expect(await once.catch((error: unknown) => error)).to.equal(wrong)
    expect(tries).to.equal(1)
  })
})
