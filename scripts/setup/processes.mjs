import { readFileSync } from 'node:fs'

/**
 * When a process started, in clock ticks since boot, or null if there is no such process.
 * Together with the id it names one process for good: ids are used again, start times are not.
 */
export function startTicks(pid) {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ')
    return fields[0] === 'Z' ? null : fields[19]
  } catch {
    return null
  }
}

/** The command line of a process, or '' if it is gone. */
export function commandLine(pid) {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ').trim()
  } catch {
    return ''
  }
}

/** Resolves to true once the process is gone, to false when `timeoutMs` passed first. */
export async function waitUntilGone(pid, timeoutMs) {
  const deadline = Date.now() + timeoutMs
  while (Date.now() < deadline) {
    if (startTicks(pid) === null) return true
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
  return false
}

/** Asks a process to end with `signal`, then insists after `patienceMs`. */
export async function stopProcess(pid, signal = 'SIGTERM', patienceMs = 20_000) {
  try {
    process.kill(pid, signal)
    if (!(await waitUntilGone(pid, patienceMs))) process.kill(pid, 'SIGKILL')
  } catch (error) {
    if (error.code !== 'ESRCH') throw error
  }
}
