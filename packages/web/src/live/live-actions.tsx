import { api } from '../api/takes.ts'
import { Pause, Save, Square, Trash2 } from 'lucide-react'
import { useNavigate } from 'react-router'
import { Button } from '../components/button.tsx'
import { Menu } from '../components/menu.tsx'
import { firstSince, useLive } from '../state/live.ts'
import { useLibrary } from '../state/library.ts'
import { notify } from '../state/notices.ts'
import type { OpenTake } from '../state/take.ts'

const KEEP_S = [5, 10, 30, 60]

/** What can be done with a recording while it goes on. */
export function LiveActions({ take, freeze }: { take: OpenTake; freeze(): void }) {
  const navigate = useNavigate()
  const { id } = take.detail
  const fail = (error: Error) => notify(error.message)

  const keep = async (seconds: number) => {
    const { startNs } = take.frames
    const request = {
      from: firstSince(startNs, seconds),
      to: startNs.length - 1,
      name: `last ${seconds} s of ${take.detail.name || take.detail.game}`,
    }
    const kept = await api.excerpt(id, request)
    notify(`The last ${seconds} s are kept as a take of their own.`, {
      label: 'Open it',
      run: () => void navigate(`/takes/${kept.id}`),
    })
  }
  const discard = async () => {
    await api.discardTake(id)
    void navigate('/')
    notify('The recording is discarded.', {
      label: 'Keep it after all',
      run: () => void useLibrary.getState().restore(id),
    })
  }
  const isKeepLast = take.detail.conditions.mode === 'keep-last'
  return (
    <div className="flex items-center gap-2">
      <Button strong onClick={freeze} title="Space">
        <Pause size={14} /> Freeze
      </Button>
      {isKeepLast && (
        <Button
          onClick={() =>
            void api
              .keepLast(id, 'on request')
              .then(() => notify('The game keeps its last seconds; they arrive in a moment.'), fail)
          }
        >
          <Save size={14} /> Keep these seconds
        </Button>
      )}
      <Menu
        label="Keep the last…"
        picture={<Save size={14} />}
        items={KEEP_S.map((seconds) => ({
          label: `the last ${seconds} s, as a take of their own`,
          run: () => void keep(seconds).catch(fail),
        }))}
        disabled={useLive((live) => live.totalFrames) === 0}
      />
      <Button onClick={() => void api.stopTake(id).catch(fail)}>
        <Square size={13} /> Stop and keep
      </Button>
      <Button onClick={() => void discard().catch(fail)}>
        <Trash2 size={14} /> Discard
      </Button>
    </div>
  )
}
