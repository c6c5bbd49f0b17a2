import type { TakeState } from '@lapsus/api'
import { Hint } from './hint.tsx'

const WORDS: Record<Exclude<TakeState, 'complete'>, { mark: string; about: string }> = {
  recording: {
    mark: 'being recorded',
    about: 'The game is still sending; what is shown is what had arrived.',
  },
  'cut-short': {
    mark: 'cut short',
    about: 'The game vanished, or its stream broke off. Everything up to there is whole.',
  },
}

/** Says when a take is not, or not yet, complete. */
export function TakeStateMark({ state }: { state: TakeState }) {
  if (state === 'complete') return null
  return (
    <Hint text={WORDS[state].about}>
      <span tabIndex={0} className="rounded-full border border-line px-2 text-xs whitespace-nowrap">
        {WORDS[state].mark}
      </span>
    </Hint>
  )
}
