/** Requests to turn a connection into a WebSocket. Whatever comes in here, nothing of it may end the process. */
import { STATUS_CODES, type IncomingMessage, type Server } from 'node:http'
import type { Duplex } from 'node:stream'
import { INGEST_PATH, INGEST_PROTOCOL, LIMITS } from '@lapsus/core/format'
import type { Logger } from 'pino'
import { WebSocketServer } from 'ws'
import type { Access } from '../access/access.ts'
import type { IngestStreams } from '../ingest/streams.ts'
import type { Guard } from './guard.ts'
import { SECURITY_HEADERS } from './headers.ts'

/** @returns what closes the recording streams' server */
export function acceptStreams(
  http: Server,
  streams: IngestStreams,
  guard: Guard,
  access: Access,
  behindProxy: boolean,
  log: Logger,
): WebSocketServer {
  const sockets = new WebSocketServer({
    noServer: true,
    // A little more than a record may have, so that one that is too large is refused in words.
    maxPayload: LIMITS.recordBytes + 2 ** 20,
    perMessageDeflate: false,
    handleProtocols: (offered) => (offered.has(INGEST_PROTOCOL) ? INGEST_PROTOCOL : false),
  })
  // Whoever listens has to answer: unanswered, the connection would stay open for good.
  sockets.on('wsClientError', (error, socket) => {
    log.debug({ error: error.message }, 'no WebSocket handshake')
    refuse(socket, 400)
  })
  http.on('upgrade', (request, socket, head) => {
    // A raw socket whose error nobody hears ends the process.
    socket.on('error', (error: Error) =>
      log.debug({ error: error.message }, 'connection lost at its handshake'),
    )
    if (!guard.mayStream(request)) {
      refuse(socket, 403)
      return
    }
    if (pathOf(request) !== INGEST_PATH) {
      refuse(socket, 404)
      return
    }
    const taken = access.games(keyOf(request), addressOf(request, behindProxy)).then(
      ({ game }) =>
        sockets.handleUpgrade(request, socket, head, (webSocket) => streams.accept(webSocket, game)),
      (error: Error) => {
        // A browser tells its page nothing of a handshake that was refused: the game is told in the stream's words.
        sockets.handleUpgrade(request, socket, head, (webSocket) => streams.refuse(webSocket, error.message))
      },
    )
    taken.catch((error: Error) => {
      log.debug({ error: error.message }, 'no stream')
      refuse(socket, 400)
    })
  })
  http.on('clientError', (_error, socket) => {
    if (socket.writable) refuse(socket, 400)
    else socket.destroy()
  })
  return sockets
}

/** Where a request goes. The target is what a client sent: it need not be an address. */
const pathOf = ({ url = '' }: IncomingMessage): string => url.split('?', 1)[0]!

/** Who asks; behind a proxy, as it says. */
function addressOf({ headers, socket }: IncomingMessage, behindProxy: boolean): string {
  const forwarded = behindProxy
    ? String(headers['x-forwarded-for'] ?? '')
        .split(',', 1)[0]!
        .trim()
    : ''
  return forwarded || (socket.remoteAddress ?? '')
}

/** The ingest key that a request brings. */
export function keyOf({ url = '', headers }: IncomingMessage): string | undefined {
  const query = url.split('?', 2)[1] ?? ''
  return new URLSearchParams(query).get('key') ?? bearerOf(headers.authorization)
}

export const bearerOf = (authorization: string | undefined): string | undefined =>
  /^Bearer (\S+)$/.exec(authorization ?? '')?.[1]

function refuse(socket: Duplex, status: number): void {
  const headers = { ...SECURITY_HEADERS, Connection: 'close', 'Content-Length': '0' }
  const lines = Object.entries(headers).map(([name, value]) => `${name}: ${value}`)
  socket.once('finish', () => socket.destroy())
  socket.end([`HTTP/1.1 ${status} ${STATUS_CODES[status]}`, ...lines, '', ''].join('\r\n'))
}
