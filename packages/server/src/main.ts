import { pino } from 'pino'
import { configFromEnvironment } from './config.ts'
import { startServer } from './server.ts'

const config = configFromEnvironment(process.env)
const log = pino({ level: config.logLevel })
const server = await startServer(config, log)
process.send?.({ address: server.address })

let stopping = false
async function stop(reason: string): Promise<void> {
  if (stopping) return
  stopping = true
  log.info({ reason }, 'stopping')
  await server.stop()
  process.exit(0)
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => void stop(signal))
// The supervisor is gone: nobody would stop this process any more.
process.on('disconnect', () => void stop('supervisor gone'))
process.on('unhandledRejection', (error) => {
  log.fatal(error as Error, 'unhandled failure')
  process.exit(1)
})
