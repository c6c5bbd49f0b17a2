/** A game that does little: frames of 10 ms, for so many ms. Says how many there were. `page`: with the probe for pages. */
import { WebSocket } from 'ws'

const [to, ms, kind] = process.argv.slice(2) as [string, string, string]
if (kind === 'page') {
  const page = { navigator: { platform: 'here', hardwareConcurrency: 2, userAgent: 'none' }, WebSocket }
  for (const [name, value] of Object.entries(page))
    Object.defineProperty(globalThis, name, { value, configurable: true })
}
const { createProbe } =
  kind === 'page'
    ? await import('../../packages/probe/src/browser.ts')
    : await import('../../packages/probe/src/node.ts')
const probe = createProbe({
  game: 'Pulse',
  to,
  ...(process.env['LAPSUS_KEY'] === undefined ? {} : { key: process.env['LAPSUS_KEY'] }),
  onProblem: (words) => console.error(words),
})
const beat = probe.marker('beat')
const until = performance.now() + Number(ms)
let frames = 0
while (performance.now() < until) {
  probe.frame()
  probe.enter(beat)
  await new Promise((resolve) => setTimeout(resolve, 10))
  probe.leave()
  frames++
}
await probe.close()
console.log(frames)
process.exit(0)
