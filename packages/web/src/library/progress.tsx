import { Square } from 'lucide-react'
import { Link } from 'react-router'
import type { Recording } from '@lapsus/api'
import { Button } from '../components/button.tsx'
import { ProgressLine } from '../components/progress-line.tsx'
import { plural } from '@lapsus/core/words'
import { useRecordings } from '../state/recordings.ts'

/** A recording under way. */
export function RecordingProgress({ recording }: { recording: Recording }) {
  const stop = useRecordings((state) => state.stop)
  const { elapsedS, seconds, frames, state } = recording
  return (
    <ProgressLine
      label="Recording"
      testId="recording"
      what={
        state === 'waiting'
          ? 'The demo game waits: as many run as there are processors'
          : state === 'starting'
            ? 'The demo game is starting…'
            : `Recording the demo game: ${plural(frames, 'frame')} so far`
      }
      share={elapsedS / seconds}
      far={`${Math.floor(elapsedS)} of ${seconds} s`}
    >
      {state === 'recording' && (
        <Link to={`/takes/${recording.take}`} className="whitespace-nowrap underline">
          Watch live
        </Link>
      )}
      <Button onClick={() => void stop(recording.id)}>
        <Square size={13} /> {state === 'waiting' ? 'Call off' : 'Stop and keep'}
      </Button>
    </ProgressLine>
  )
}
