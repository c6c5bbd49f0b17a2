import { api } from '../api/takes.ts'
import { useEffect, useState } from 'react'

/** Ends the session; nothing where none is asked for. */
export function SignOut() {
  const [isNeeded, setIsNeeded] = useState(false)
  useEffect(() => {
    void api.session().then(
      (session) => setIsNeeded(session.isNeeded),
      () => {},
    )
  }, [])
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
