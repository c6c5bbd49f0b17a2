import { api } from '../api/takes.ts'
import { useState, type FormEvent } from 'react'
import { Button } from '../components/button.tsx'

/** Asks for the password of a Lapsus that others can reach. */
export function SignIn() {
  const [password, setPassword] = useState('')
  const [error, setError] = useState<string | null>(null)
  const submit = async (event: FormEvent) => {
    event.preventDefault()
    try {
      await api.signIn(password)
      // Everything is asked anew, as somebody who may.
      location.reload()
    } catch (failure) {
      setError((failure as Error).message)
    }
  }
  return (
    <main className="flex h-full items-center justify-center">
      <form onSubmit={(event) => void submit(event)} className="w-80 rounded border border-line bg-leaf p-6">
        <h1 className="mb-4 font-serif text-2xl font-semibold">Lapsus</h1>
        <label className="block">
          <span className="mb-1 block text-xs text-faint">Password</span>
          <input
            type="password"
            autoFocus
            autoComplete="current-password"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
            className="h-8 w-full rounded border border-line bg-paper px-2"
          />
        </label>
        {error !== null && (
          <p role="alert" className="mt-2 text-alarm">
            {error.charAt(0).toUpperCase() + error.slice(1)}.
          </p>
        )}
        <Button strong type="submit" className="mt-4" disabled={password === ''}>
          Sign in
        </Button>
      </form>
    </main>
  )
}
