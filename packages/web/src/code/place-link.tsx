import type { Place } from '@lapsus/core/format'
import { placeWords, shortPlace } from '@lapsus/core/words'
import { addressOf } from './place-address.ts'
import { useSettings } from '../state/settings.ts'
import { copyText } from '../state/take-away.ts'

interface PlaceProps {
  /** Nothing is shown where it is not known. */
  at: Place | null | undefined
  game: string
}

/** Where in the code: opens it by the address that was set for the game, or copies it. */
export function PlaceLink({ at, game }: PlaceProps) {
  const pattern = useSettings(({ placePatterns }) => placePatterns[game])
  if (at === null || at === undefined) return null
  const look =
    'max-w-full shrink-0 truncate text-xs text-faint underline decoration-line underline-offset-2 hover:text-ink'
  // A row under it is not chosen as well.
  const stay = (event: { stopPropagation(): void }) => event.stopPropagation()
  return pattern === undefined ? (
    <button
      type="button"
      className={look}
      title={`${placeWords(at)}. Click to copy.`}
      data-testid="place"
      onClick={(event) => {
        stay(event)
        void copyText(placeWords(at), `${placeWords(at)} is`)
      }}
    >
      {shortPlace(at)}
    </button>
  ) : (
    <a
      className={look}
      href={addressOf(pattern, at)}
      title={`${placeWords(at)}. Click to open.`}
      data-testid="place"
      onClick={stay}
    >
      {shortPlace(at)}
    </a>
  )
}
