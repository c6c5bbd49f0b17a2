import { Download, GitCompareArrows, Layers, ListChecks, Trash2, X } from 'lucide-react'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import type { TakeSummary } from '@lapsus/api'
import { plural } from '@lapsus/core/words'
import { api } from '../api/takes.ts'
import { Button, IconButton } from '../components/button.tsx'
import { useChosen } from '../state/chosen.ts'
import { useLibrary } from '../state/library.ts'
import { notify } from '../state/notices.ts'
import { CompareWindow } from './compare-window.tsx'
import { compareAddress } from './sides.ts'

/** What can be done with the takes that are chosen. */
export function ChosenBar({ takes }: { takes: readonly TakeSummary[] }) {
  const clear = useChosen((chosen) => chosen.clear)
  const removeAll = useLibrary((library) => library.removeAll)
  const navigate = useNavigate()
  const [sidesOpen, setSidesOpen] = useState(false)
  const games = new Set(takes.map(({ game }) => game)).size
  const ids = takes.map(({ id }) => id)
  const isEnded = takes.every(({ state }) => state !== 'recording')
  const apart = games > 1 ? 'They are of different games' : isEnded ? '' : 'One is still being recorded'
  return (
    <section
      aria-label="Chosen takes"
      className="sticky bottom-3 z-10 mb-3 flex items-center gap-2 rounded border border-line bg-leaf px-3 py-2 shadow-lg"
      data-testid="chosen-takes"
    >
      <b className="font-medium whitespace-nowrap">{plural(takes.length, 'take')} chosen</b>
      <span className="grow truncate text-xs text-faint">
        {takes.length < 2 ? 'Choose more to compare them or lay them over one another' : apart}
      </span>
      <Button
        disabled={takes.length < 2 || apart !== ''}
        onClick={() => (takes.length === 2 ? void navigate(compareAddress(takes)) : setSidesOpen(true))}
      >
        <GitCompareArrows size={15} /> Compare
      </Button>
      <Button
        disabled={apart !== ''}
        title="Hold them against a budget"
        onClick={() => void navigate(`/check?${new URLSearchParams({ takes: ids.join(',') })}`)}
      >
        <ListChecks size={15} /> Check
      </Button>
      <LayOver takes={takes} disabled={takes.length < 2 || apart !== ''} />
      <a
        href={api.archiveAddress(ids)}
        download
        className="inline-flex h-8 items-center gap-1.5 rounded border border-line bg-leaf px-3 font-medium hover:border-faint"
      >
        <Download size={15} /> Save together
      </a>
      <Button
        onClick={() => {
          clear()
          void removeAll(takes)
        }}
      >
        <Trash2 size={15} /> Delete
      </Button>
      <IconButton label="Choose none" onClick={clear}>
        <X size={15} />
      </IconButton>
      <CompareWindow takes={takes} open={sidesOpen} onOpenChange={setSidesOpen} />
    </section>
  )
}

/** Makes one take out of several of the same run. */
function LayOver({ takes, disabled }: { takes: readonly TakeSummary[]; disabled: boolean }) {
  const navigate = useNavigate()
  const [isBusy, setBusy] = useState(false)
  const clear = useChosen((chosen) => chosen.clear)
  const layOver = async () => {
    setBusy(true)
    try {
      const name = `composite of ${plural(takes.length, 'take')}`
      const made = await api.composite(
        takes.map(({ id }) => id),
        name,
      )
      clear()
      notify(`“${made.name}” is in the library.`, {
        label: 'Open',
        run: () => void navigate(`/takes/${made.id}?sight=composite`),
      })
      await useLibrary.getState().load()
    } catch (error) {
      notify(`No composite was made: ${(error as Error).message}.`)
    }
    setBusy(false)
  }
  return (
    <Button
      disabled={disabled || isBusy}
      title="Takes of the same run: the median of every path is the game, what is left is the machine"
      onClick={() => void layOver()}
    >
      <Layers size={15} /> {isBusy ? 'Laying over…' : 'Lay over one another'}
    </Button>
  )
}
