import { api } from '../api/takes.ts'
import { Download, Trash2 } from 'lucide-react'
import { Link } from 'react-router'
import type { TakeSummary } from '@lapsus/api'
import type { ExportFormat } from '@lapsus/core/exchange'
import { IconButton } from '../components/button.tsx'
import { Editable } from '../components/editable.tsx'
import { Menu } from '../components/menu.tsx'
import { TagEditor } from '../components/tag-editor.tsx'
import { TakeStateMark } from '../components/take-state.tsx'
import { conditionWords } from '../format/conditions.ts'
import { bytes, count, dateTime, duration, ms, percent, plural } from '@lapsus/core/words'
import { useChosen } from '../state/chosen.ts'
import { useLibrary } from '../state/library.ts'
import { Miniature } from './miniature.tsx'

const EXPORTS: { format: ExportFormat; label: string }[] = [
  { format: 'lapsus', label: 'take file (.lapsus)' },
  { format: 'jsonl', label: 'JSON lines' },
  { format: 'otlp', label: 'OpenTelemetry JSON' },
  { format: 'csv', label: 'table of frames (CSV)' },
]

interface TakeRowProps {
  take: TakeSummary
  /** @param toLast with all between it and the one that was chosen last */
  onChoose(toLast: boolean): void
}

export function TakeRow({ take, onChoose }: TakeRowProps) {
  const isChosen = useChosen(({ takes }) => takes.includes(take.id))
  const { rename, setNote, setTags, remove } = useLibrary()
  const { figures } = take
  const address = `/takes/${take.id}`
  return (
    <div
      className={`flex items-start gap-4 border-b border-line py-3 ${isChosen ? 'bg-pick/60' : ''}`}
      data-testid="take-row"
    >
      <input
        type="checkbox"
        aria-label={`Choose ${take.name || dateTime(take.started)}`}
        title="Choose it, to compare or save it with others; with Shift all between"
        checked={isChosen}
        className="mt-4 ml-1 size-4 shrink-0 accent-[var(--work)]"
        onChange={(event) => onChoose((event.nativeEvent as MouseEvent).shiftKey)}
      />
      <Link
        to={address}
        aria-label={`Open ${take.name || take.game}`}
        className="mt-0.5 rounded-sm border border-line hover:border-faint"
      >
        <Miniature take={take} />
      </Link>
      <div className="min-w-0 grow">
        <div className="flex items-baseline gap-2">
          <Link to={address} className="font-serif text-base font-semibold whitespace-nowrap hover:underline">
            {take.name || dateTime(take.started)}
          </Link>
          <Editable
            label="Name"
            placeholder={take.name === '' ? 'name it' : 'rename'}
            value=""
            className="w-20 min-w-0 text-xs"
            onCommit={(name) => void rename(take.id, name)}
          />
          <TakeStateMark state={take.state} />
          {take.state === 'recording' && (
            <Link to={address} className="text-xs underline">
              watch it live
            </Link>
          )}
        </div>
        <div className="line-clamp-2 text-xs text-faint" title={conditionWords(take).join('\n')}>
          {conditionWords(take).join(' · ')}
        </div>
        <TagEditor tags={take.tags} onChange={(tags) => void setTags(take.id, tags)} />
        <Editable
          label="Note"
          placeholder="add a note"
          value={take.note}
          className="max-w-full text-xs"
          onCommit={(note) => void setNote(take.id, note)}
        />
      </div>
      <div className="shrink-0 text-right whitespace-nowrap tabular-nums">
        {figures === null ? (
          <span className="text-faint">
            {take.frames === 0 ? 'no frames yet' : `${plural(take.frames, 'frame')} so far`}
          </span>
        ) : (
          <>
            <div>
              <b className={figures.over > 0 ? 'text-alarm' : ''}>{percent(figures.overShare)}</b> through the
              floor
              {figures.held > 0 && (
                <span className="text-faint">, {percent(figures.held / figures.frames)} held</span>
              )}
            </div>
            <div className="text-xs text-faint">
              work p50 {ms(figures.work.p50)}, p99 {ms(figures.work.p99)}, worst {ms(figures.work.worst)}
            </div>
          </>
        )}
        <div className="text-xs text-faint">
          {count(take.frames)} frames, {duration(take.durationMs)}, {bytes(take.storedBytes)}
        </div>
      </div>
      <div className="flex shrink-0">
        <Menu
          small
          label="Save as a file"
          picture={<Download size={15} />}
          items={EXPORTS.map(({ format, label }) => ({ label, href: api.fileAddress(take.id, format) }))}
        />
        <IconButton label="Delete (can be undone)" onClick={() => void remove(take)}>
          <Trash2 size={15} />
        </IconButton>
      </div>
    </div>
  )
}
