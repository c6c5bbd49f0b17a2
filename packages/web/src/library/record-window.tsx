import { useEffect, useState, type ReactNode } from 'react'
import type { DemoGame, RecordingRequest } from '@lapsus/api'
import { Button } from '../components/button.tsx'
import { Window } from '../components/window.tsx'
import { useRecordings } from '../state/recordings.ts'

export function RecordWindow({ open, onOpenChange }: { open: boolean; onOpenChange(open: boolean): void }) {
  const { game, loadGame } = useRecordings()
  const [error, setError] = useState<string | null>(null)
  useEffect(() => {
    if (open && game === null) loadGame().catch((failure: Error) => setError(failure.message))
  }, [open, game, loadGame])
  return (
    <Window
      title="Record the demo game"
      about="Moth Post is a night post office run by moths. It runs for real, on this machine, and its probe sends a take here."
      open={open}
      onOpenChange={onOpenChange}
    >
      {error !== null && <p className="text-alarm">{error}</p>}
      {game !== null && <RecordForm game={game} done={() => onOpenChange(false)} />}
    </Window>
  )
}

type NumberField =
  'seconds' | 'seed' | 'letters' | 'moths' | 'target' | 'graphicsMs' | 'tripMs' | 'keepSeconds'

const INPUT = 'h-8 w-full rounded border border-line bg-paper px-2'
const MODE_WORDS = { timing: 'timing', bytes: 'bytes as well', 'keep-last': 'keep the last' }
const ROUTE_WORDS = { sliced: 'a few a frame', jobs: 'jobs on threads' }

function RecordForm({ game, done }: { game: DemoGame; done(): void }) {
  const start = useRecordings((state) => state.start)
  const [request, setRequest] = useState<RecordingRequest>(game.defaults)
  const set = (change: Partial<RecordingRequest>) => setRequest((current) => ({ ...current, ...change }))
  const number = (field: NumberField, least: number, most: number, step: number | 'any' = 1) => (
    <input
      type="number"
      name={field}
      required
      min={least}
      max={most}
      step={step}
      value={Number.isNaN(request[field]) ? '' : request[field]}
      className={INPUT}
      onChange={(event) => set({ [field]: event.target.valueAsNumber })}
    />
  )
  const choice = <F extends 'mode' | 'routes'>(field: F, words: Record<RecordingRequest[F], string>) => (
    <select
      name={field}
      value={request[field]}
      className={INPUT}
      onChange={(event) => set({ [field]: event.target.value })}
    >
      {Object.entries<string>(words).map(([value, text]) => (
        <option key={value} value={value}>
          {text}
        </option>
      ))}
    </select>
  )
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        void start(request).then((started) => started && done())
      }}
    >
      <Field label="Name">
        <input
          name="name"
          autoFocus
          value={request.name}
          maxLength={200}
          placeholder="optional"
          className="h-8 w-full rounded border border-line bg-paper px-2"
          onChange={(event) => set({ name: event.target.value })}
        />
      </Field>
      <div className="grid grid-cols-4 gap-3">
        <Field label="Seconds">{number('seconds', 1, game.limits.seconds)}</Field>
        <Field label="Seed">{number('seed', 0, 0xffff_ffff)}</Field>
        <Field label="Letters a second">{number('letters', 0, game.limits.letters)}</Field>
        <Field label="Moths">{number('moths', 1, game.limits.moths)}</Field>
      </div>
      <div className="grid grid-cols-4 gap-3">
        <Field label="Frames a second">{number('target', 1, 1000, 'any')}</Field>
        <Field label="Graphics ms a frame">{number('graphicsMs', 0, 1000, 'any')}</Field>
        <Field label="Routes, where fixed">{choice('routes', ROUTE_WORDS)}</Field>
        <Field label="Device">
          <select
            name="handset"
            value={request.handset ? 'handset' : 'here'}
            className={INPUT}
            onChange={(event) => set({ handset: event.target.value === 'handset' })}
          >
            <option value="here">this machine</option>
            <option value="handset">stand-in handset</option>
          </select>
        </Field>
        <Field label="Mode">{choice('mode', MODE_WORDS)}</Field>
        <div className="col-span-3">
          <Field label="Trial: a flaw and its fix in turn, in one take">
            <select
              name="trial"
              value={request.trial}
              className={INPUT}
              onChange={(event) => set({ trial: event.target.value })}
            >
              <option value="">none</option>
              {game.flaws
                .filter(({ switched }) => switched)
                .map(({ id, text }) => (
                  <option key={id} value={id}>
                    {text}
                  </option>
                ))}
            </select>
          </Field>
        </div>
        {request.mode === 'keep-last' && (
          <>
            <Field label="Keep seconds">{number('keepSeconds', 1, 600, 'any')}</Field>
            <Field label="of a frame over ms">{number('tripMs', 1, 60_000, 'any')}</Field>
          </>
        )}
      </div>
      <label className="mb-4 flex items-center gap-2">
        <input
          type="checkbox"
          name="ramp"
          className="size-4 accent-work"
          checked={request.ramp}
          onChange={(event) => set({ ramp: event.target.checked })}
        />
        Load ramp: letters and moths grow from few to all, so that costs show against load
      </label>
      <fieldset className="mb-5">
        <legend className="mb-1 flex w-full items-center text-xs text-faint">
          Flaws; without one, its fix runs instead
          <span className="grow" />
          <button
            type="button"
            className="mr-3 underline"
            onClick={() => set({ flaws: game.flaws.map(({ id }) => id) })}
          >
            all
          </button>
          <button type="button" className="underline" onClick={() => set({ flaws: [] })}>
            none
          </button>
        </legend>
        {game.flaws.map(({ id, text }) => (
          <label key={id} className="flex items-start gap-2 py-0.5">
            <input
              type="checkbox"
              name={id}
              className="mt-0.5 size-4 accent-work"
              checked={request.flaws.includes(id)}
              onChange={(event) =>
                set({
                  flaws: event.target.checked
                    ? [...request.flaws, id]
                    : request.flaws.filter((flaw) => flaw !== id),
                })
              }
            />
            <span>{text}</span>
          </label>
        ))}
      </fieldset>
      <div className="sticky -bottom-6 -mb-6 flex items-center gap-4 bg-leaf py-3">
        <Button type="submit" strong>
          Record {request.seconds > 0 ? `${request.seconds} s` : ''}
        </Button>
        <a href="/games/moth-post/" target="moth-post" className="text-faint underline hover:text-ink">
          or play it in the browser
        </a>
      </div>
    </form>
  )
}

function Field({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="mb-3 block">
      <span className="mb-1 block text-xs text-faint">{label}</span>
      {children}
    </label>
  )
}
