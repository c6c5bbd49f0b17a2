import { RotateCcw } from 'lucide-react'
import { useState } from 'react'
import { Button } from '../components/button.tsx'
import { Window } from '../components/window.tsx'
import { dateTime, plural } from '@lapsus/core/words'
import { useLibrary } from '../state/library.ts'

/** Takes that were deleted stay for a month and can be brought back. */
export function DeletedTakes() {
  const { deleted, loadDeleted, restore } = useLibrary()
  const [open, setOpen] = useState(false)
  return (
    <footer className="mt-auto py-4 text-xs text-faint">
      <button
        type="button"
        className="underline hover:text-ink"
        onClick={() => {
          void loadDeleted()
          setOpen(true)
        }}
      >
        Deleted takes
      </button>
      <Window
        title="Deleted takes"
        about="They are gone for good a month after they were deleted."
        open={open}
        onOpenChange={setOpen}
      >
        {deleted === null || deleted.length === 0 ? (
          <p>{deleted === null ? 'Looking…' : 'There is none.'}</p>
        ) : (
          <ul>
            {deleted.map((take) => (
              <li key={take.id} className="flex items-center gap-3 border-b border-line py-1.5">
                <span className="grow">
                  {take.name || dateTime(take.started)}
                  <span className="text-faint">
                    {' '}
                    {take.game}, {plural(take.frames, 'frame')}
                  </span>
                </span>
                <Button onClick={() => void restore(take.id)}>
                  <RotateCcw size={13} /> Bring back
                </Button>
              </li>
            ))}
          </ul>
        )}
      </Window>
    </footer>
  )
}
