import { useState } from 'react'
import { ms, percent } from '@lapsus/core/words'
import { GroupShare } from '../budgets/group-share.tsx'
import { RemedyOptions } from '../plan/remedy-options.tsx'
import { useDiagnosis } from '../state/diagnosis.ts'
import { CodePlace } from '../code/code-place.tsx'
import { placeOfPath, type OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import { MarkForm } from './mark-form.tsx'
import type { MarkedFinding } from './sections.ts'
import { FINDINGS } from '@lapsus/core/detect'
import { showFinding } from './show.ts'

interface CardProps {
  finding: MarkedFinding
  take: OpenTake
  budgetMs: number
}

/** One finding: a line, and all of it when it is chosen. */
export function FindingCard({ finding, take, budgetMs }: CardProps) {
  const chosen = useView((view) => view.finding === finding.id)
  const { kind, path, trouble } = finding
  const { shownMs, about } = shownOf(finding)
  return (
    <article
      className={`border-b border-line/60 ${chosen ? 'bg-pick' : ''}`}
      data-testid="finding"
      data-kind={kind}
    >
      <button
        type="button"
        aria-pressed={chosen}
        className={`block w-full px-3 py-1.5 text-left ${chosen ? '' : 'hover:bg-line/35'}`}
        onClick={() => showFinding(finding, take, budgetMs)}
      >
        <span className="flex items-baseline gap-2">
          <b className="min-w-0 grow truncate font-medium">
            {path.at(-1) ?? (finding.subject || (trouble === 'machine' ? 'the machine' : 'the whole game'))}
          </b>
          <span className="tabular-nums whitespace-nowrap" title={about}>
            {ms(shownMs)}
          </span>
        </span>
        <span className="flex items-baseline gap-2 text-xs text-faint">
          <span className="grow truncate">{FINDINGS[kind].words}</span>
          <span className="whitespace-nowrap">{percent(shownMs / budgetMs)} of budget</span>
        </span>
      </button>
      {chosen && <Details finding={finding} take={take} />}
    </article>
  )
}

/** The one figure of a finding, and what it is a figure of. */
function shownOf(finding: MarkedFinding): { shownMs: number; about: string } {
  switch (finding.trouble) {
    case 'spike':
      return {
        shownMs: finding.recoverableMsWhereItStrikes,
        about: 'The most that could be got back in a frame where it strikes',
      }
    case 'floor':
      return {
        shownMs: finding.recoverableMsPerFrame,
        about: 'The most that could be got back in every frame',
      }
    case 'machine':
      return { shownMs: finding.costMsPerFrame, about: 'What it costs a frame, over all frames' }
  }
}

const CONFIDENCE_WORDS = { high: 'Sure', medium: 'Fairly sure', low: 'Not sure' }

function Details({ finding, take }: Omit<CardProps, 'budgetMs'>) {
  const { change } = useView()
  const mark = useDiagnosis((state) => state.mark)
  const [marking, setMarking] = useState(false)
  const { text, because, confidence, frames, remedies, path, id } = finding
  return (
    <div className="space-y-1.5 px-3 pb-2.5 text-[12.5px]">
      <p>{text}</p>
      <p className="text-xs text-faint">
        {CONFIDENCE_WORDS[confidence]}: {because}.
      </p>
      {path.length > 1 && (
        <p className="text-xs break-words text-faint">in {path.slice(0, -1).join(' › ')}</p>
      )}
      <CodePlace at={placeOfPath(take, finding.pathId)} game={take.detail.game} />
      {frames.length > 0 && (
        <p className="text-xs">
          frames{' '}
          {frames.slice(0, 6).map((frame) => (
            <button
              key={frame}
              type="button"
              className="mr-1.5 underline decoration-line underline-offset-2 hover:decoration-ink"
              onClick={() => change({ frame, path: finding.pathId, sight: 'frame' })}
            >
              {frame}
            </button>
          ))}
        </p>
      )}
      {finding.mark !== null ? (
        <p className="text-xs">
          marked as {finding.mark.mark === 'known' ? 'known' : 'no problem'}
          {finding.mark.reason !== '' && `: ${finding.mark.reason}`}{' '}
          <button type="button" className="underline" onClick={() => void mark(take.detail.id, id, null, '')}>
            Unmark
          </button>
        </p>
      ) : marking ? (
        <MarkForm
          onMark={(as, reason) => {
            setMarking(false)
            void mark(take.detail.id, id, as, reason)
          }}
          onCancel={() => setMarking(false)}
        />
      ) : (
        <button type="button" className="text-xs underline" onClick={() => setMarking(true)}>
          Mark…
        </button>
      )}
      {/* Last, since these are worked out after a while: nothing below them is moved. */}
      <GroupShare take={take} pathId={finding.pathId} />
      {remedies.length > 0 && (
        <RemedyOptions
          take={take}
          path={path}
          subject={finding.subject}
          remedies={remedies}
          frames={frames}
          trouble={finding.trouble}
        />
      )}
    </div>
  )
}
