import { trialsAmong } from '@lapsus/core/compare'
import { TRIAL } from '@lapsus/core/questions/trial'
import { useEffect, useState } from 'react'
import { ask } from '../api/ask.ts'
import { useAnswer } from '../api/use-answer.ts'
import type { OpenTake } from '../state/take.ts'

/** How often a trial is asked how it stands, ms. */
const AGAIN_MS = 3_000

/** What a trial of the running game has come to so far, and how much longer it takes until that is sure. */
export function LiveTrial({ take, target }: { take: OpenTake; target: number }) {
  return trialsAmong(take.detail.gauges).length === 0 ? null : <Standing take={take} target={target} />
}

function Standing({ take, target }: { take: OpenTake; target: number }) {
  const [turn, setTurn] = useState(0)
  const { id } = take.detail
  useEffect(() => {
    const timer = setInterval(() => setTurn((before) => before + 1), AGAIN_MS)
    return () => clearInterval(timer)
  }, [])
  // Up to the last frame that is here: more may have been stored meanwhile.
  const last = take.frames.startNs.length - 1
  const { answer } = useAnswer(`${id} live trial ${turn}`, (signal) =>
    ask(TRIAL, id, { from: 0, to: Math.max(0, last), target, withoutRecorder: false }, {}, signal),
  )
  if (answer === null || answer.results.length === 0) return null
  return (
    <p className="border-b border-line px-3 py-1.5" data-testid="live-trial">
      {answer.results.map(({ variant, sentence }) => (
        <span key={variant} className="mr-4">
          {sentence}
        </span>
      ))}
    </p>
  )
}
