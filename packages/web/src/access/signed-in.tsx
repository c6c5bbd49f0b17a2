import type { SessionInfo } from '@lapsus/api'
import { dateTime } from '@lapsus/core/words'
import { useState } from 'react'
import { api } from '../api/takes.ts'
import { Button } from '../components/button.tsx'
import { Window } from '../components/window.tsx'
import { agentWords } from './agent-words.ts'
import { usePasswordNeeded } from './use-password-needed.ts'

/** Where one is signed in, and what ends it; nothing where no password is asked for. */
export function SignedIn() {
  const isNeeded = usePasswordNeeded()
  const [sessions, setSessions] = useState<SessionInfo[] | null>(null)
  const [failed, setFailed] = useState(false)
  const [open, setOpen] = useState(false)
  if (!isNeeded) return null
  const look = () =>
    api.sessions().then(setSessions, () => {
      setFailed(true)
    })
  const leave = async (ending: Promise<unknown>) => {
    await ending.catch(() => {})
    // What is shown is for those who are signed in.
    location.reload()
  }
  return (
    <p className="flex gap-4 pb-6 text-xs text-faint">
      <button type="button" className="underline" onClick={() => void leave(api.signOut())}>
        Sign out
      </button>
      <button
        type="button"
        className="underline"
        onClick={() => {
          setFailed(false)
          setOpen(true)
          void look()
        }}
      >
        Where I am signed in
      </button>
      <Window
        title="Signed in"
        about="A session ends 30 days after it began, or when the password is changed."
        open={open}
        onOpenChange={setOpen}
      >
        {sessions === null && <p>{failed ? 'The list could not be read.' : 'Looking…'}</p>}
        <ul>
          {sessions?.map((session) => (
            <li key={session.id} className="flex items-center gap-3 border-b border-line py-1.5 text-sm">
              <span className="min-w-0 grow" title={session.agent}>
                <span className="block truncate">
                  {agentWords(session.agent)}, {session.address}
                </span>
                <span className="block text-xs text-faint">
                  since {dateTime(session.began)}, last used {dateTime(session.seenAt)}
                </span>
              </span>
              {session.isThis ? (
                <span className="text-xs text-faint">this browser</span>
              ) : (
                <Button onClick={() => void api.endSession(session.id).then(look, look)}>End</Button>
              )}
            </li>
          ))}
        </ul>
        <div className="mt-4 flex justify-end">
          <Button onClick={() => void leave(api.signOutEverywhere())}>Sign out everywhere</Button>
        </div>
      </Window>
    </p>
  )
}
