import { Download, Trash2 } from 'lucide-react'
import { Link } from 'react-router'
import type { TakeSummary } from '@lapsus/api'
import { api } from '../api/client.ts'
import { IconButton } from '../components/button.tsx'
import { Editable } from '../components/editable.tsx'
import { Hint } from '../components/hint.tsx'
import { TakeStateMark } from '../components/take-state.tsx'
import { conditionWords } from '../format/conditions.ts'
import { bytes, count, dateTime, duration, ms, percent } from '../format/numbers.ts'
import { useLibrary } from '../state/library.ts'
import { Miniature } from './miniature.tsx'

export function TakeRow({ take }: { take: TakeSummary }) {
  const { rename, setNote, remove } = useLibrary()
  const { figures } = take
  const address = `/takes/${take.id}`
  return (
    <li className="flex items-start gap-4 border-b border-line py-3" data-testid="take-row">
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
        </div>
        <div className="line-clamp-2 text-xs text-faint" title={conditionWords(take).join('\n')}>
          {conditionWords(take).join(' · ')}
        </div>
        <Editable
          label="Note"
          placeholder="add a note"
          value={take.note}
          className="-ml-1 max-w-full text-xs"
          onCommit={(note) => void setNote(take.id, note)}
        />
      </div>
      <div className="shrink-0 text-right whitespace-nowrap tabular-nums">
        {figures === null ? (
          <span className="text-faint">
            {take.frames === 0 ? 'no frames yet' : `${count(take.frames)} frames so far`}
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
        <Hint text="Save as a take file">
          <a
            href={api.fileAddress(take.id)}
            download
            aria-label="Save as a take file"
            className="inline-flex size-7 items-center justify-center rounded text-faint hover:bg-line/60 hover:text-ink"
          >
            <Download size={15} />
          </a>
        </Hint>
        <IconButton label="Delete (can be undone)" onClick={() => void remove(take)}>
          <Trash2 size={15} />
        </IconButton>
      </div>
    </li>
  )
}
