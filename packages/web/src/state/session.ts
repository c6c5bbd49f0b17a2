import { create } from 'zustand'

interface Session {
  /** Somebody has to sign in before anything is shown. */
  mustSignIn: boolean
}

export const useSession = create<Session>()(() => ({ mustSignIn: false }))
