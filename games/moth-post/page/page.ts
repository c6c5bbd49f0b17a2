/** The page around the game: choices, the drawn town, the overlay. */
import { createOverlay } from '@lapsus/probe/overlay'
import { drawTown } from './draw-town.ts'
import type { FromWorker, ToWorker } from './messages.ts'

const form = document.querySelector<HTMLFormElement>('#choices')!
const endButton = document.querySelector<HTMLButtonElement>('#end')!
const words = document.querySelector<HTMLElement>('#words')!
const canvas = document.querySelector<HTMLCanvasElement>('#town')!
const overlay = createOverlay({ target: 60, corner: 'top-left' })
let worker: Worker | null = null

const STILL_EVERY_MS = 500

const tell = (message: ToWorker, transfer: Transferable[] = []) => worker?.postMessage(message, transfer)
let stillMs = -Infinity

/** What is on the screen, for the take: the game itself is in the worker. */
async function sendStill(): Promise<void> {
  if (performance.now() - stillMs < STILL_EVERY_MS) return
  stillMs = performance.now()
  const still = await createImageBitmap(canvas)
  tell({ still }, [still])
}

form.addEventListener('submit', (event) => {
  event.preventDefault()
  worker?.terminate()
  const choices = new FormData(form)
  const take = crypto.randomUUID()
  const records = choices.get('record') !== null
  worker = new Worker('worker.js', { type: 'module' })
  worker.onmessage = ({ data }: MessageEvent<FromWorker>) => hear(data, records ? take : null)
  tell({
    begin: {
      seed: Number(choices.get('seed')),
      letters: Number(choices.get('letters')),
      moths: Number(choices.get('moths')),
      flaws: String(choices.get('flaws')),
      to: records ? location.origin.replace(/^http/, 'ws') : null,
      take,
    },
  })
  endButton.disabled = false
  if (records) link('recording: watch it live', take)
  else words.textContent = 'playing'
})

endButton.addEventListener('click', () => {
  tell({ end: true })
  endButton.disabled = true
})

function hear(message: FromWorker, take: string | null): void {
  if ('picture' in message) {
    drawTown(canvas, message.picture)
    if (take !== null) void sendStill()
    overlay.show(message.picture.figures)
    document.title = `Moth Post: ${message.picture.delivered} delivered`
  } else if ('problem' in message) {
    words.textContent = message.problem
  } else if (take !== null) {
    link('the take is kept: open it', take)
  } else {
    words.textContent = 'the night is over'
  }
}

function link(text: string, take: string): void {
  const anchor = document.createElement('a')
  anchor.href = `/takes/${take}`
  anchor.target = 'lapsus'
  anchor.textContent = text
  words.replaceChildren(anchor)
}

// A link can choose: /games/moth-post/?flaws=none&begin
const wanted = new URLSearchParams(location.search)
for (const field of ['seed', 'letters', 'moths', 'flaws']) {
  const input = form.elements.namedItem(field) as HTMLInputElement | null
  const value = wanted.get(field)
  if (input !== null && value !== null) input.value = value
}
if (wanted.has('begin')) form.requestSubmit()
