import { say } from './say.mjs'

const POLL_MS = 3_000
/** So long the database may be away. */
const PATIENCE_MS = 30_000
const AGAIN_MS = 250

/** For a Lapsus that asks who comes in: Basic authentication (RFC 7617), with the password alone. */
function password() {
  const { LAPSUS_PASSWORD } = process.env
  return LAPSUS_PASSWORD
    ? { authorization: `Basic ${Buffer.from(`:${LAPSUS_PASSWORD}`).toString('base64')}` }
    : {}
}

/** Waits while the database, or the server itself, is started again. */
async function call(address, method, path, body, deadlineMs = Date.now() + PATIENCE_MS) {
  const response = await fetch(address + path, {
    method,
    headers: { 'content-type': 'application/json', ...password() },
    body: body === undefined ? undefined : JSON.stringify(body),
  }).catch((error) => {
    if (Date.now() > deadlineMs) throw error
    return null
  })
  if ((response === null || response.status === 503) && Date.now() <= deadlineMs) {
    await new Promise((resolve) => setTimeout(resolve, AGAIN_MS))
    return call(address, method, path, body, deadlineMs)
  }
  if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${await response.text()}`)
  return response.json()
}

/** Records the demo game once, so that there is something real to look at. */
export async function ensureFirstTake(address) {
  const takes = await call(address, 'GET', '/api/takes')
  if (takes.length > 0) {
    say(`takes: ${takes.length} in the library`)
    return
  }
  const { defaults } = await call(address, 'GET', '/api/demo-game')
  defaults.seconds = Number(process.env.LAPSUS_FIRST_TAKE_S ?? defaults.seconds)
  say(`first take: recording ${defaults.seconds} s of the demo game, with all its flaws`)
  let recording = await call(address, 'POST', '/api/recordings', { ...defaults, name: 'First night' })
  while (['waiting', 'starting', 'recording'].includes(recording.state)) {
    await new Promise((resolve) => setTimeout(resolve, POLL_MS))
    recording = await call(address, 'GET', `/api/recordings/${recording.id}`)
    say(`first take: ${Math.round(recording.elapsedS)} of ${recording.seconds} s, ${recording.frames} frames`)
  }
  if (recording.state === 'failed')
    say(`first take: it failed, and everything else works: ${recording.message}`)
}
