import { PanelLeftClose, PanelLeftOpen } from 'lucide-react'
import { useEffect, useMemo } from 'react'
import type { SpellReport } from '@lapsus/core/questions/diagnosis'
import { plural, sentence, spellWords } from '@lapsus/core/words'
import { IconButton } from '../components/button.tsx'
import { useDiagnosis } from '../state/diagnosis.ts'
import { GroupsOver } from '../budgets/group-share.tsx'
import { useFramesQuery } from '../state/frames-query.ts'
import { useSettings } from '../state/settings.ts'
import type { OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import { FindingCard } from './finding-card.tsx'
import { sectionsOf, type MarkedFinding } from './sections.ts'

interface ColumnProps {
  take: OpenTake
  budgetMs: number
}

/** The way in: what is wrong, in plain words, most to be got back first. */
export function FindingsColumn({ take, budgetMs }: ColumnProps) {
  const { findingsOpen, setFindingsOpen } = useSettings()
  const query = useFramesQuery(take)
  const { load } = useDiagnosis()
  useEffect(() => void load(take.detail.id, query), [take.detail.id, query, load])
  if (!findingsOpen) {
    return (
      <aside className="flex w-9 shrink-0 flex-col items-center border-r border-line py-1">
        <IconButton label="Show the findings (f)" onClick={() => setFindingsOpen(true)}>
          <PanelLeftOpen size={16} />
        </IconButton>
      </aside>
    )
  }
  return (
    <aside
      aria-label="Findings"
      className="flex w-72 shrink-0 flex-col border-r border-line"
      data-testid="findings"
    >
      <div className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <h2 className="font-serif text-base font-bold">Findings</h2>
        <WhichFrames take={take} />
        <span className="grow" />
        <IconButton label="Fold the findings away (f)" onClick={() => setFindingsOpen(false)}>
          <PanelLeftClose size={16} />
        </IconButton>
      </div>
      <Contents take={take} budgetMs={budgetMs} />
      <GroupsOver take={take} />
    </aside>
  )
}

function WhichFrames({ take }: { take: OpenTake }) {
  const diagnosis = useDiagnosis((state) => state.diagnosis)
  const loading = useDiagnosis((state) => state.loading)
  if (loading) return <span className="text-xs text-faint">looking…</span>
  if (diagnosis === null) return null
  const frames = diagnosis.to - diagnosis.from + 1
  return (
    <span className="truncate text-xs text-faint">
      {frames === take.frames.startNs.length
        ? 'in all frames'
        : `in frames ${diagnosis.from} to ${diagnosis.to}`}
    </span>
  )
}

function Contents({ take, budgetMs }: ColumnProps) {
  const { diagnosis, error } = useDiagnosis()
  const sections = useMemo(() => (diagnosis === null ? null : sectionsOf(diagnosis)), [diagnosis])
  if (error !== null) return <p className="p-3 text-alarm">{error}</p>
  if (sections === null) return <p className="p-3 text-faint">Looking for what is wrong…</p>
  const { floor, spike, machine, marked, small } = sections
  const spells = diagnosis?.machine.spells ?? []
  const list = (findings: MarkedFinding[]) =>
    findings.map((finding) => (
      <FindingCard key={finding.id} finding={finding} take={take} budgetMs={budgetMs} />
    ))
  const folded = (words: string, findings: MarkedFinding[]) =>
    findings.length > 0 && (
      <details className="border-t border-line">
        <summary className="px-3 py-2 text-xs text-faint hover:text-ink">{words}</summary>
        {list(findings)}
      </details>
    )
  return (
    <div className="min-h-0 grow overflow-y-auto">
      {floor.length > 0 && <Heading about="Time of every frame that could be got back">The floor</Heading>}
      {list(floor)}
      {spike.length > 0 && (
        <Heading about="What could be got back in a frame where it strikes">Single frames</Heading>
      )}
      {list(spike)}
      {machine.length + spells.length > 0 && (
        <Heading about="Not the game’s code: what the system and other programs did">The machine</Heading>
      )}
      {list(machine)}
      {spells.length > 0 && <Spells spells={spells} />}
      {floor.length + spike.length === 0 && (
        <p className="p-3 text-faint">
          Nothing was found that is worth 1 % of the budget
          {marked.length > 0 ? ', but for what is marked below.' : '.'}
        </p>
      )}
      {folded(`${plural(marked.length, 'finding')} marked as known or no problem`, marked)}
      {folded(`${plural(small.length, 'finding')} below 1 % of the budget`, small)}
    </div>
  )
}

const MOST_SPELLS = 4

/** When the machine was slower or faster than usual. */
function Spells({ spells }: { spells: SpellReport[] }) {
  const { change } = useView()
  const strongest = [...spells].sort((a, b) => Math.abs(Math.log(b.factor)) - Math.abs(Math.log(a.factor)))
  return (
    <ul className="space-y-1 px-3 py-1.5 text-[12.5px]" data-testid="spells">
      {strongest.slice(0, MOST_SPELLS).map((spell) => (
        <li key={spell.fromFrame}>
          <button
            type="button"
            title="Choose these frames"
            className="text-left underline decoration-line underline-offset-2 hover:decoration-ink"
            onClick={() => change({ range: { from: spell.fromFrame, to: spell.toFrame } })}
          >
            {sentence(spellWords(spell))}
          </button>
        </li>
      ))}
      {spells.length > MOST_SPELLS && (
        <li className="text-xs text-faint">and {spells.length - MOST_SPELLS} more</li>
      )}
    </ul>
  )
}

function Heading({ about, children }: { about: string; children: string }) {
  return (
    <h3 title={about} className="px-3 pt-3 pb-1 text-xs font-semibold text-faint">
      {children}
    </h3>
  )
}
