import { verificationWords, type TakeDetail, type Verification } from '@lapsus/api'
import { useState } from 'react'
import { Link } from 'react-router'
import { api } from '../api/takes.ts'
import { Button } from '../components/button.tsx'

/** Whether all of a take is there, as it was sent; and the takes before and after it in the same recording. */
export function TakeProof({ detail }: { detail: TakeDetail }) {
  const { id, state, continues, continuedBy } = detail
  const [found, setFound] = useState<Verification | 'reading' | Error | null>(null)
  const read = () => {
    setFound('reading')
    api.verify(id).then(setFound, (error: Error) => setFound(error))
  }
  return (
    <div className="mt-4 border-t border-line pt-4" data-testid="proof">
      <span className="mb-1 block text-xs text-faint">Records</span>
      {continues !== null && (
        <p>
          The server had lost a part of it: this take goes on with{' '}
          <Link className="underline" to={`/takes/${continues}`}>
            an earlier one
          </Link>
          .
        </p>
      )}
      {continuedBy.map((next) => (
        <p key={next}>
          The recording goes on in{' '}
          <Link className="underline" to={`/takes/${next}`}>
            a later take
          </Link>
          .
        </p>
      ))}
      {state !== 'recording' && (
        <Button disabled={found === 'reading'} onClick={read}>
          {found === 'reading' ? 'Reading…' : 'Read all of it back'}
        </Button>
      )}
      <p role="status" className="mt-1">
        {found instanceof Error
          ? `It could not be read: ${found.message}.`
          : found !== null && found !== 'reading' && sentence(verificationWords(found))}
      </p>
      {found !== null && found !== 'reading' && !(found instanceof Error) && (
        <ul className="list-disc pl-5">
          {found.problems.map((words) => (
            <li key={words}>{words}</li>
          ))}
        </ul>
      )}
    </div>
  )
}

const sentence = (words: string): string => `${words.charAt(0).toUpperCase()}${words.slice(1)}.`
