import { Unplug } from 'lucide-react'
import { sentence } from '@lapsus/core/words'
import { useConnection } from '../state/connection.ts'

/** Says what keeps the server from answering, while it does. */
export function ConnectionBar() {
  const trouble = useConnection((state) => state.trouble)
  if (trouble === null) return null
  return (
    <div
      role="alert"
      data-testid="connection"
      className="fixed inset-x-0 top-0 z-50 flex items-center justify-center gap-2 bg-ink px-4 py-1.5 text-paper"
    >
      <Unplug size={14} />
      <span>{sentence(trouble)} Trying again; this page goes on by itself.</span>
    </div>
  )
}
