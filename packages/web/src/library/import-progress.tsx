import { jobWords } from '@lapsus/api'
import { FileUp } from 'lucide-react'
import { useState } from 'react'
import { Button } from '../components/button.tsx'
import { ProgressLine } from '../components/progress-line.tsx'
import { Window } from '../components/window.tsx'
import { percent } from '@lapsus/core/words'
import { useJobs } from '../state/jobs.ts'
import { useImports } from '../state/imports.ts'

/** Opens the window in which a file is chosen. */
export function ImportButton() {
  const [open, setOpen] = useState(false)
  const busy = useImports((state) => state.file !== null)
  return (
    <>
      <Button disabled={busy} onClick={() => setOpen(true)}>
        <FileUp size={15} /> Import
      </Button>
      <Window
        title="Import a take"
        about="A take file, also of several takes, plain or gzip; the same as JSON lines; OpenTelemetry traces as JSON; Performance Timeline entries as JSON. Which one it is, is seen from its contents."
        open={open}
        onOpenChange={setOpen}
      >
        <ImportForm done={() => setOpen(false)} />
      </Window>
    </>
  )
}

function ImportForm({ done }: { done(): void }) {
  const start = useImports((state) => state.start)
  const [file, setFile] = useState<File | null>(null)
  const [frameMarker, setFrameMarker] = useState('')
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        if (file === null) return
        void start(file, frameMarker.trim())
        done()
      }}
    >
      <input
        type="file"
        required
        aria-label="Take file"
        className="mb-4 block w-full rounded border border-line bg-paper p-2"
        onChange={(event) => setFile(event.target.files?.[0] ?? null)}
      />
      <label className="mb-5 block">
        <span className="mb-1 block text-xs text-faint">
          Frame marker: the name of the spans that are frames, if the file does not say so itself
        </span>
        <input
          value={frameMarker}
          maxLength={200}
          className="h-8 w-full rounded border border-line bg-paper px-2"
          onChange={(event) => setFrameMarker(event.target.value)}
        />
      </label>
      <Button type="submit" strong>
        Import
      </Button>
    </form>
  )
}

/** A file on its way in. */
export function ImportProgress() {
  const { file, sent, job: id, cancel } = useImports()
  const job = useJobs(({ jobs }) => jobs.find((one) => one.id === id))
  if (file === null) return null
  // Before the server has begun only this page knows how far it is.
  const { far, share } =
    job?.state === 'running' ? jobWords(job) : { far: `${percent(sent)} sent`, share: null }
  return (
    <ProgressLine
      label="Import"
      testId="import"
      what={
        job === undefined
          ? `Sending ${file}`
          : job.state === 'waiting'
            ? `${file} waits for its turn`
            : `Storing ${file}`
      }
      share={share ?? sent}
      far={far}
    >
      <Button onClick={cancel}>Cancel</Button>
    </ProgressLine>
  )
}
