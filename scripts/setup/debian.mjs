import { spawnSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { delimiter, join } from 'node:path'
import { SetupError, say } from './say.mjs'

/** Where Debian puts programs; /usr/sbin is often missing from a user's PATH. */
const FOLDERS = [...(process.env.PATH ?? '').split(delimiter), '/usr/local/bin', '/usr/sbin', '/usr/bin']

/** The full path of a program, or null. */
export function findProgram(name, folders = FOLDERS) {
  return folders.map((folder) => join(folder, name)).find((path) => existsSync(path)) ?? null
}

/**
 * Installs the Debian packages whose programs are missing.
 * @param needs list of { program, packages, purpose }
 * @param uid the user who runs this, if not the real one
 * @param folders where to look for programs, sudo and apt-get included
 */
export function ensurePrograms(needs, uid = process.getuid?.(), folders = FOLDERS) {
  const missing = needs.filter((need) => findProgram(need.program, folders) === null)
  for (const need of needs) {
    if (!missing.includes(need)) say(`${need.purpose}: ${findProgram(need.program, folders)} is in place`)
  }
  if (missing.length === 0) return
  const packages = missing.flatMap((need) => need.packages)
  const install = ['apt-get', 'install', '-y', '--no-install-recommends', ...packages]
  const byHand = `sudo apt-get update && sudo ${install.join(' ')}`
  const what = missing.map((need) => `${need.program} (${need.purpose})`).join(', ')

  if (findProgram('apt-get', folders) === null) {
    throw new SetupError(
      `Missing: ${what}. This is not a Debian system, so install the program yourself and run again.`,
    )
  }
  const prefix = rightsPrefix(uid, folders)
  if (prefix === null) {
    throw new SetupError(
      `Missing: ${what}. Installing needs root. Run this once, then try again:\n\n  ${byHand}`,
    )
  }
  say(`installing Debian packages: ${packages.join(', ')}`)
  runApt([...prefix, 'apt-get', 'update', '-q'], byHand)
  runApt([...prefix, 'env', 'DEBIAN_FRONTEND=noninteractive', ...install], byHand)
  const still = missing.filter((need) => findProgram(need.program) === null)
  if (still.length > 0) {
    throw new SetupError(
      `${still.map((need) => need.program).join(', ')} is still missing. Try:\n\n  ${byHand}`,
    )
  }
}

/** What to put before a command to run it as root: [] when we are, sudo when it will work, else null. */
function rightsPrefix(uid, folders) {
  if (uid === 0) return []
  const sudo = findProgram('sudo', folders)
  if (sudo === null) return null
  if (spawnSync(sudo, ['-n', 'true'], { stdio: 'ignore' }).status === 0) return [sudo, '-n']
  return process.stdin.isTTY ? [sudo] : null
}

function runApt(command, byHand) {
  const result = spawnSync(command[0], command.slice(1), {
    stdio: ['inherit', 'pipe', 'pipe'],
    encoding: 'utf8',
  })
  if (result.status === 0) return
  const tail = `${result.stdout ?? ''}${result.stderr ?? ''}`.trim().split('\n').slice(-8).join('\n')
  throw new SetupError(
    `"${command.join(' ')}" failed:\n${tail}\n\nMend that, or run this by hand:\n\n  ${byHand}`,
  )
}

/**
 * The core packages hold the programs alone; the full mariadb-server package would also start a
 * service for the whole system, which nobody asked for.
 */
export const MARIADB = [
  { program: 'mariadbd', packages: ['mariadb-server-core'], purpose: 'database server' },
  { program: 'my_print_defaults', packages: ['mariadb-client-core'], purpose: 'database set-up' },
]
export const CHROMIUM = [{ program: 'chromium', packages: ['chromium'], purpose: 'browser for tests' }]
const lua = (version) => ({
  program: `lua${version}`,
  packages: [`lua${version}`],
  purpose: `Lua ${version} for a test`,
})
/** Build and run the emitters for other languages in tests. */
export const LANGUAGES = [
  { program: 'gcc', packages: ['gcc', 'libc6-dev'], purpose: 'C compiler for a test' },
  { program: 'g++', packages: ['g++'], purpose: 'C++ compiler for a test' },
  { program: 'python3', packages: ['python3'], purpose: 'Python for a test' },
  ...['5.1', '5.2', '5.3', '5.4'].map(lua),
  { program: 'luajit', packages: ['luajit'], purpose: 'LuaJIT for a test' },
  { program: '../share/lua/5.1/socket.lua', packages: ['lua-socket'], purpose: 'LuaSocket for a test' },
  { program: 'curl', packages: ['curl'], purpose: 'curl, which gets emitters, for a test' },
  { program: 'mcs', packages: ['mono-mcs'], purpose: 'C# compiler for a test' },
  { program: 'mono', packages: ['mono-runtime'], purpose: 'C# runtime for a test' },
]
/** Backs up and restores in a test. */
export const BACKUP = [
  { program: 'mariadb-dump', packages: ['mariadb-client'], purpose: 'database back-up for a test' },
]
