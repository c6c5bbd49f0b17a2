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

function RecordForm({ game, done }: { game: DemoGame; done(): void }) {
  const start = useRecordings((state) => state.start)
  const [request, setRequest] = useState<RecordingRequest>(game.defaults)
  const set = (change: Partial<RecordingRequest>) => setRequest((current) => ({ ...current, ...change }))
  const number = (field: 'seconds' | 'seed' | 'letters' | 'moths', least: number, most: number) => (
    <input
      type="number"
      name={field}
      required
      min={least}
      max={most}
      value={request[field]}
      className="h-8 w-24 rounded border border-line bg-paper px-2"
      onChange={(event) => set({ [field]: event.target.valueAsNumber })}
    />
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
      <fieldset className="mb-5">
        <legend className="mb-1 text-xs text-faint">Flaws; without one, its fix runs instead</legend>
        {game.flaws.map(({ id, text }) => (
          <label key={id} className="flex items-start gap-2 py-1">
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
      <Button type="submit" strong>
        Record {request.seconds > 0 ? `${request.seconds} s` : ''}
      </Button>
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
