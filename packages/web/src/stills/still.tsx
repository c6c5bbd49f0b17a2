import type { TakePicture } from '@lapsus/api'
import { api } from '../api/takes.ts'
import { apartWords } from '../state/pictures.ts'

interface StillProps {
  take: string
  picture: TakePicture
  /** The time that it is shown for. */
  atNs: number
  className?: string
}

/** What was on the screen, and how far from the time that is asked about. */
export function Still({ take, picture, atNs, className = '' }: StillProps) {
  const words = apartWords(picture, atNs)
  return (
    <figure className="min-w-0" data-testid="still">
      <img
        src={api.pictureAddress(take, picture.name)}
        width={picture.width}
        height={picture.height}
        alt={`The screen, ${words}`}
        className={`rounded-sm border border-line object-contain ${className}`}
      />
      <figcaption className="text-[11px] text-faint">{words}</figcaption>
    </figure>
  )
}
