import { api } from '../api/takes.ts'
import { usePasswordNeeded } from './use-password-needed.ts'

/** Ends the session; nothing where none is asked for. */
export function SignOut() {
  const isNeeded = usePasswordNeeded()
  if (!isNeeded) return null
  const signOut = async () => {
    await api.signOut().catch(() => {})
    // What is shown is for those who are signed in.
    location.reload()
  }
  return (
    <button type="button" className="text-xs text-faint underline" onClick={() => void signOut()}>
      Sign out
    </button>
  )
}
