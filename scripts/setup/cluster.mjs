/**
 * Three MariaDB nodes with Galera on loopback, for a test. They must not run as root: rsync's daemon, which brings a
 * node up to date, could not read the data then.
 */
import { spawn, spawnSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import {
  chmodSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { delimiter, join } from 'node:path'
import { answers, freePort, initSql } from './database.mjs'
import { ensurePrograms, findProgram } from './debian.mjs'
import { stopProcess } from './processes.mjs'
import { SetupError, say } from './say.mjs'

const NODES = 3
const PROVIDER = '/usr/lib/galera/libgalera_smm.so'
const START_TIMEOUT_MS = 90_000
const OWNER = 'nobody'
/** How soon the others go on without a node that is silent: as docs/operating.md recommends. */
const EVICTION =
  'evs.suspect_timeout=PT1.5S;evs.inactive_timeout=PT3S;evs.inactive_check_period=PT0.5S;evs.keepalive_period=PT0.5S'

const NEEDS = [
  { program: 'rsync', packages: ['rsync'], purpose: 'state transfer of a cluster' },
  { program: 'lsof', packages: ['lsof'], purpose: 'ports of a cluster' },
  { program: 'libgalera_smm.so', packages: ['galera-4'], purpose: 'cluster of databases' },
]

/**
 * Starts them, the first alone and then the others to it.
 * @returns { url, nodes: { port, pid, kill(signal), restart() }[], stop() }; `url` names all of them
 */
export async function startCluster() {
  ensurePrograms(NEEDS, undefined, [
    ...(process.env.PATH ?? '').split(delimiter),
    '/usr/sbin',
    '/usr/bin',
    '/usr/lib/galera',
  ])
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-cluster-'))
  chmodSync(folder, 0o755)
  const scripts = transferScripts(folder)
  const password = randomBytes(18).toString('hex')
  const nodes = []
  for (let i = 0; i < NODES; i++) nodes.push(await newNode(join(folder, `node-${i + 1}`), password))
  const shared = { scripts, address: `gcomm://${nodes.map((node) => `127.0.0.1:${node.groupPort}`).join()}` }
  for (const [i, node] of nodes.entries()) {
    makeData(node)
    await launch(node, shared, i === 0)
    say(`cluster: node ${i + 1} answers on 127.0.0.1:${node.port} (process ${node.server.pid})`)
  }
  return {
    url: `mariadb://lapsus:${password}@${nodes.map(({ port }) => `127.0.0.1:${port}`).join()}/lapsus`,
    nodes: nodes.map((node) => ({
      port: node.port,
      get pid() {
        return node.server.pid
      },
      signal: (name) => process.kill(node.server.pid, name),
      restart: () => launch(node, shared, false),
    })),
    async stop() {
      for (const { server } of nodes) {
        process.kill(server.pid, 'SIGCONT')
        await stopProcess(server.pid, 'SIGKILL')
      }
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

/** The scripts are in a package that would start a service for the whole system: it is unpacked, not installed. */
function transferScripts(folder) {
  const place = join(folder, 'mariadb-server')
  mkdirSync(place)
  const fetched = spawnSync('apt-get', ['download', 'mariadb-server'], { cwd: place, encoding: 'utf8' })
  const file = readdirSync(place).find((name) => name.endsWith('.deb'))
  if (file === undefined)
    throw new SetupError(
      `the package mariadb-server could not be fetched:\n${fetched.stdout}${fetched.stderr}`,
    )
  const unpacked = spawnSync('dpkg-deb', ['-x', join(place, file), place], { encoding: 'utf8' })
  if (unpacked.status !== 0) throw new SetupError(`${file} could not be unpacked:\n${unpacked.stderr}`)
  return join(place, 'usr/bin')
}

async function newNode(folder, password) {
  mkdirSync(folder)
  const [port, groupPort, catchUpPort, transferPort] = [
    await freePort(),
    await freePort(),
    await freePort(),
    await freePort(),
  ]
  const node = {
    folder,
    data: join(folder, 'data'),
    tmp: join(folder, 'tmp'),
    init: join(folder, 'init.sql'),
    log: join(folder, 'log'),
  }
  writeFileSync(node.init, initSql(password))
  writeFileSync(node.log, '')
  mkdirSync(node.data)
  mkdirSync(node.tmp)
  return { ...node, port, groupPort, catchUpPort, transferPort, server: null }
}

const isRoot = () => process.getuid?.() === 0

/** A command as it is run by whoever owns the nodes. */
const owned = (command) =>
  isRoot() ? ['setpriv', '--reuid', OWNER, '--regid', 'nogroup', '--clear-groups', '--', ...command] : command

function makeData(node) {
  if (isRoot()) spawnSync('chown', ['-R', `${OWNER}:nogroup`, node.folder])
  const [program, ...args] = owned([
    findProgram('mariadb-install-db'),
    '--no-defaults',
    `--datadir=${node.data}`,
    `--tmpdir=${node.tmp}`,
    '--auth-root-authentication-method=normal',
    '--skip-test-db',
  ])
  const made = spawnSync(program, args, { encoding: 'utf8' })
  if (made.status !== 0) throw new SetupError(`mariadb-install-db failed:\n${made.stdout}${made.stderr}`)
}

async function launch(node, { scripts, address }, isFirst) {
  const { port, groupPort, catchUpPort, transferPort, data, folder } = node
  const [program, ...args] = owned([
    findProgram('mariadbd'),
    '--no-defaults',
    `--datadir=${data}`,
    `--tmpdir=${node.tmp}`,
    '--bind-address=127.0.0.1',
    `--port=${port}`,
    `--socket=${join(folder, 'sock')}`,
    `--pid-file=${join(folder, 'pid')}`,
    ...(isFirst ? [`--init-file=${node.init}`, '--wsrep-new-cluster'] : []),
    '--skip-name-resolve',
    '--max-allowed-packet=64M',
    '--innodb-buffer-pool-size=64M',
    '--innodb-autoinc-lock-mode=2',
    // Each node has what the others have: what one loses with its machine they bring back.
    '--innodb-flush-log-at-trx-commit=2',
    '--character-set-server=utf8mb4',
    '--binlog-format=ROW',
    '--wsrep-on=ON',
    `--wsrep-provider=${PROVIDER}`,
    `--wsrep-cluster-address=${address}`,
    '--wsrep-cluster-name=lapsus',
    `--wsrep-node-address=127.0.0.1`,
    `--wsrep-node-incoming-address=127.0.0.1:${port}`,
    '--wsrep-sst-method=rsync',
    `--wsrep-sst-receive-address=127.0.0.1:${transferPort}`,
    '--wsrep-slave-threads=2',
    `--wsrep-provider-options=gmcast.listen_addr=tcp://127.0.0.1:${groupPort};ist.recv_addr=127.0.0.1:${catchUpPort};gcache.size=64M;${EVICTION}`,
  ])
  const log = openSync(node.log, 'a')
  const path = [scripts, '/usr/sbin', process.env.PATH ?? ''].join(delimiter)
  const server = spawn(program, args, {
    stdio: ['ignore', log, log],
    detached: true,
    env: { ...process.env, PATH: path },
  })
  node.server = server
  let ended = null
  server.on('exit', (code) => (ended = code ?? 1))
  const deadline = Date.now() + START_TIMEOUT_MS
  while (!(await isSynced(node))) {
    if (ended !== null || Date.now() > deadline) {
      const tail = readFileSync(node.log, 'utf8').trim().split('\n').slice(-20).join('\n')
      throw new SetupError(`a node of the cluster did not start (${ended ?? 'no answer'}):\n${tail}`)
    }
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
  server.unref()
}

/** A node says in its log when it has all that the others have; only then it listens. */
function isSynced(node) {
  const said = readFileSync(node.log, 'utf8')
  const begun = said.lastIndexOf('Starting MariaDB')
  if (!said.slice(begun).includes('Synchronized with group, ready for connections')) return false
  return answers(node.port)
}
