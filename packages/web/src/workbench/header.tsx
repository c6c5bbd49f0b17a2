import { CircleHelp } from 'lucide-react'
import { useNavigate } from 'react-router'
import { useMemo, useState } from 'react'
import { frameFigures, type FrameFigures } from '@lapsus/core/take'
import { IconButton } from '../components/button.tsx'
import { Editable } from '../components/editable.tsx'
import { Hint } from '../components/hint.tsx'
import { TakeStateMark } from '../components/take-state.tsx'
import { conditionWords } from '../format/conditions.ts'
import { ms, percent, plural } from '@lapsus/core/words'
import { useLibrary } from '../state/library.ts'
import { useTake, type OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import { ConditionsWindow } from './conditions-window.tsx'
import { TakeChoice } from '../sights/proof/take-choice.tsx'
import { TargetChoice } from './target-choice.tsx'
import { ToLibrary } from '../shell/to-library.tsx'
import { TakeAwayMenu } from '../shell/take-away-menu.tsx'
import { ThemeButton } from '../shell/theme-button.tsx'

interface HeaderProps {
  take: OpenTake
  target: number
  openHelp(): void
}

export function Header({ take, target, openHelp }: HeaderProps) {
  const { detail, frames } = take
  const range = useView((view) => view.range)
  const navigate = useNavigate()
  const [conditionsOpen, setConditionsOpen] = useState(false)
  const figures = useMemo(
    () => frameFigures(frames, 1000 / target, range?.from ?? 0, range === null ? undefined : range.to + 1),
    [frames, target, range],
  )
  return (
    <header className="flex h-12 items-center gap-3 border-b border-line px-3">
      <ToLibrary />
      <h1 className="font-serif text-lg font-semibold whitespace-nowrap">{detail.game}</h1>
      <Editable
        label="Name of the take"
        placeholder="name this take"
        value={detail.name}
        className="max-w-52 shrink-0"
        onCommit={(name) => {
          useTake.getState().patch({ name })
          void useLibrary.getState().rename(detail.id, name)
        }}
      />
      <TakeStateMark state={detail.state} />
      <button
        type="button"
        title="All conditions, note and tags"
        className="min-w-0 shrink truncate text-xs text-faint hover:text-ink hover:underline"
        onClick={() => setConditionsOpen(true)}
      >
        {[...detail.tags.map((tag) => `#${tag}`), ...conditionWords(detail)].join(' · ')}
      </button>
      <ConditionsWindow
        key={detail.id}
        detail={detail}
        open={conditionsOpen}
        onOpenChange={setConditionsOpen}
      />
      <span className="grow" />
      <Headline figures={figures} />
      {detail.state !== 'recording' && (
        <div className="w-36 shrink-0 [&_select]:w-full">
          <TakeChoice
            label="Compare this take with another"
            none="compare with…"
            take={take}
            value={null}
            onChange={(other) =>
              other !== null &&
              void navigate(`/compare?${new URLSearchParams({ before: detail.id, after: other })}`)
            }
          />
        </div>
      )}
      <TargetChoice own={detail.target} target={target} />
      <TakeAwayMenu about={{ take: detail.id }} name={detail.name || detail.game} />
      <ThemeButton />
      <IconButton label="Keys and words (?)" onClick={openHelp}>
        <CircleHelp size={16} />
      </IconButton>
    </header>
  )
}

/** Over is told from held, so that nobody optimises logic that is waiting. */
function Headline({ figures }: { figures: FrameFigures }) {
  const { work, over, overShare, held, frames } = figures
  if (frames === 0) return null
  const about =
    `Work of ${plural(frames, 'frame')}: p50 ${ms(work.p50)}, p95 ${ms(work.p95)}, p99 ${ms(work.p99)}, p99.9 ${ms(work.p999)}, ` +
    `worst ${ms(work.worst)}. Over: the frame’s own work exceeds the budget. Held: the frame is late, though its work fits, because it waited.`
  return (
    <Hint text={about}>
      <span tabIndex={0} className="whitespace-nowrap" data-testid="headline">
        <b className={`font-serif text-base ${over > 0 ? 'text-alarm' : ''}`}>
          {over === 0 ? 'no frame through the floor' : `${percent(overShare)} through the floor`}
        </b>
        {held > 0 && <span className="ml-2 text-xs text-faint">{percent(held / frames)} held</span>}
        <span className="ml-2 text-xs text-faint">p99 {ms(work.p99)}</span>
      </span>
    </Hint>
  )
}
