import { Square } from 'lucide-react'
import { Progress } from 'radix-ui'
import { Link } from 'react-router'
import type { Recording } from '@lapsus/api'
import { Button } from '../components/button.tsx'
import { plural } from '@lapsus/core/words'
import { useRecordings } from '../state/recordings.ts'

/** A recording under way. */
export function RecordingProgress({ recording }: { recording: Recording }) {
  const stop = useRecordings((state) => state.stop)
  const { elapsedS, seconds, frames, state } = recording
  return (
    <div
      className="mb-4 flex items-center gap-4 rounded border border-line bg-leaf px-4 py-2"
      data-testid="recording"
    >
      <span className="w-88">
        {state === 'waiting'
          ? 'The demo game waits: as many run as there are processors'
          : state === 'starting'
            ? 'The demo game is starting…'
            : `Recording the demo game: ${plural(frames, 'frame')} so far`}
      </span>
      <Progress.Root
        aria-label="Recording"
        value={elapsedS}
        max={seconds}
        className="h-2 grow overflow-hidden rounded-full bg-line/60"
      >
        <Progress.Indicator className="h-full bg-work" style={{ width: `${(elapsedS / seconds) * 100}%` }} />
      </Progress.Root>
      <span className="w-24 text-right text-faint tabular-nums">
        {Math.floor(elapsedS)} of {seconds} s
      </span>
      {state === 'recording' && (
        <Link to={`/takes/${recording.take}`} className="whitespace-nowrap underline">
          Watch live
        </Link>
      )}
      <Button onClick={() => void stop(recording.id)}>
        <Square size={13} /> {state === 'waiting' ? 'Call off' : 'Stop and keep'}
      </Button>
    </div>
  )
}
