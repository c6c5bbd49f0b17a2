import type { TakePicture } from '@lapsus/api'
import type { OpenTake } from '../state/take.ts'
import { picturesAround, usePictures } from '../state/pictures.ts'
import { Still } from './still.tsx'

const NONE: readonly TakePicture[] = []

/** What was on the screen before and after a frame; nothing where the game sent no pictures. */
export function FrameStills({ take, frame }: { take: OpenTake; frame: number }) {
  const pictures = usePictures((state) => (state.take === take.detail.id ? state.pictures : NONE))
  const atNs = take.frames.startNs[frame]! + take.frames.durationNs[frame]!
  const { before, after } = picturesAround(pictures, atNs)
  const shown = [before, after].filter((picture) => picture !== null)
  if (shown.length === 0) return null
  return (
    <div
      aria-label="What was on the screen"
      className="flex shrink-0 gap-3 border-t border-line px-3 py-1.5"
      data-testid="frame-stills"
    >
      {shown.map((picture) => (
        <Still
          key={picture.name}
          take={take.detail.id}
          picture={picture}
          atNs={atNs}
          className="h-20 w-auto"
        />
      ))}
    </div>
  )
}
