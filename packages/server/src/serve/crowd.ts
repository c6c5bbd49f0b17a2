/**
 * Connections that wait for the rest of a request, or for the next one, must not keep others out: each holds a file of
 * the process, of which there are so many. Beyond the most the one that has waited longest is ended.
 */
import { readFileSync } from 'node:fs'
import type { Server } from 'node:http'
import type { Socket } from 'node:net'

/** Where the system does not tell how many files a process may have open. */
const USUAL_FILES = 1_024
/** Left for the database, threads, logs and files. */
const OTHER_FILES = 64
const MOST = 4_096

function openFilesLimit(): number {
  try {
    const said = /^Max open files\s+(\d+)/m.exec(readFileSync('/proc/self/limits', 'utf8'))
    return said === null ? USUAL_FILES : Number(said[1])
  } catch {
    return USUAL_FILES
  }
}

/** Half of the files that are left; half the other half is for connections that are at work. */
export const mostWaiting = (files = openFilesLimit()): number =>
  Math.min(MOST, Math.max(8, Math.floor((files - OTHER_FILES) / 2)))

/** @param most connections that wait */
export function keepRoom(http: Server, most = mostWaiting()): void {
  // In order of how long they have waited.
  const waiting = new Set<Socket>()
  const waits = (socket: Socket) => {
    waiting.delete(socket)
    if (socket.destroyed) return
    waiting.add(socket)
    const [oldest] = waiting
    if (waiting.size > most) oldest!.destroy()
  }
  http.on('connection', (socket) => {
    socket.once('close', () => waiting.delete(socket))
    waits(socket)
  })
  http.on('request', ({ socket }, response) => {
    waiting.delete(socket)
    response.once('close', () => waits(socket))
  })
  http.on('upgrade', ({ socket }) => waiting.delete(socket))
}
