import { useEffect, useState } from 'react'
import { api } from '../api/takes.ts'

/** Whether this Lapsus asks for a password, and games for a key; false until that is known. */
export function usePasswordNeeded(): boolean {
  const [isNeeded, setIsNeeded] = useState(false)
  useEffect(() => {
    void api.session().then(
      (session) => setIsNeeded(session.isNeeded),
      () => {},
    )
  }, [])
  return isNeeded
}
