import { Link } from 'react-router'
import { ms, plural } from '@lapsus/core/words'
import { Hint } from '../components/hint.tsx'
import { useOwnRecording } from '../state/own-recording.ts'
import { whatArrives } from './what-arrives.ts'

const MOST_FINDINGS = 4

/** What is seen of the game: nothing yet, its recording, and then what is found in it. */
export function Arriving() {
  const { take, ledger, diagnosis, trouble } = useOwnRecording()
  return (
    <section aria-label="What arrives" data-testid="arriving" className="min-h-0 overflow-auto px-5 py-4">
      <h2 className="mb-2 font-serif text-base font-semibold" aria-live="polite">
        {take === null
          ? 'Waiting for a game to begin…'
          : take.state === 'recording'
            ? `${take.game} is connected: ${plural(take.frames, 'frame')}`
            : `${take.game} has ended: ${plural(take.frames, 'frame')}`}
      </h2>
      {trouble !== null && (
        <p role="alert" className="mb-2 text-alarm">
          {trouble}
        </p>
      )}
      {take === null && (
        <p className="text-faint">As soon as one records to this Lapsus, what comes of it is said here.</p>
      )}
      {take !== null && ledger !== null && <Figures />}
      {take !== null && diagnosis !== null && (
        <>
          <h3 className="mt-4 mb-1 font-serif font-semibold">What was found</h3>
          {diagnosis.findings.length === 0 ? (
            <p className="text-faint">Nothing worth 1 % of the budget.</p>
          ) : (
            <ul data-testid="own-findings" className="list-disc space-y-1.5 pl-4 marker:text-faint">
              {diagnosis.findings.slice(0, MOST_FINDINGS).map(({ id, text }) => (
                <li key={id}>{text}</li>
              ))}
            </ul>
          )}
          <Link
            to={`/takes/${take.id}`}
            className="mt-4 inline-flex h-8 items-center rounded bg-ink px-3 font-medium text-paper hover:opacity-90"
          >
            Open the take
          </Link>
        </>
      )}
    </section>
  )
}

function Figures() {
  const { take, ledger } = useOwnRecording()
  const { figures, outside, missing } = whatArrives(take!, ledger!)
  return (
    <>
      <dl data-testid="own-figures" className="max-w-sm space-y-0.5">
        {figures.map(({ name, value, about }) => (
          <Hint key={name} text={about}>
            <div tabIndex={0} className="flex justify-between gap-3">
              <dt className="text-faint">{name}</dt>
              <dd className="tabular-nums">{value}</dd>
            </div>
          </Hint>
        ))}
      </dl>
      {outside !== null && (
        <p className="mt-3">
          {ms(outside.ms)} of {ms(outside.ofMs)} lie in no marker. Is the game waiting there? Then give that
          time a marker of kind <code>wait:refresh</code>; if it works, mark what it does.
        </p>
      )}
      {missing.length > 0 && (
        <>
          <h3 className="mt-4 mb-1 font-serif font-semibold">What would make it tell more</h3>
          <ul className="list-disc space-y-1 pl-4 text-faint">
            {missing.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </>
      )}
    </>
  )
}
