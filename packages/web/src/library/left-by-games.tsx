import type { LeftFile } from '@lapsus/api'
import { bytes, dateTime, plural } from '@lapsus/core/words'
import { useCallback, useEffect, useState } from 'react'
import { api } from '../api/takes.ts'
import { Button } from '../components/button.tsx'
import { Window } from '../components/window.tsx'
import { useLibrary } from '../state/library.ts'
import { notify } from '../state/notices.ts'

/** The list of takes is to be there first. */
const ASKED_AFTER_MS = 700

/** What games could not deliver, and is not taken up by itself: nothing where there is none. */
export function LeftByGames() {
  const [files, setFiles] = useState<readonly LeftFile[]>([])
  const [open, setOpen] = useState(false)
  const look = useCallback(() => api.left().then(setFiles, () => {}), [])
  useEffect(() => {
    const timer = setTimeout(() => void look(), ASKED_AFTER_MS)
    return () => clearTimeout(timer)
  }, [look])
  if (files.length === 0) return null
  const done = async (doing: Promise<unknown>, words: string) => {
    await doing.then(
      () => notify(words),
      (error: Error) => notify(error.message),
    )
    await Promise.all([look(), useLibrary.getState().load()])
  }
  return (
    <p className="pb-2 text-xs">
      <button type="button" className="text-alarm underline" onClick={() => setOpen(true)}>
        {plural(files.length, 'file')} left by games, not brought in
      </button>
      <Window
        title="Left by games"
        about="What games could not deliver before they ended, and what may not come in by itself."
        open={open}
        onOpenChange={setOpen}
      >
        <ul data-testid="left">
          {files.map(({ file, game, bytes: size, at, reason }) => (
            <li key={file} className="flex items-center gap-3 border-b border-line py-1.5 text-sm">
              <span className="min-w-0 grow" title={file}>
                <span className="block truncate">
                  {game ?? 'Unknown game'}, {bytes(size)}, {dateTime(at)}
                </span>
                <span className="block text-xs text-faint">{reason}</span>
              </span>
              <Button onClick={() => void done(api.bringIn(file), 'It is in the library.')}>Bring in</Button>
              <Button onClick={() => void done(api.dropLeft(file), 'It is deleted.')}>Delete</Button>
            </li>
          ))}
        </ul>
      </Window>
    </p>
  )
}
