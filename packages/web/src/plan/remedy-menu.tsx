import { ClipboardPlus } from 'lucide-react'
import { REMEDY_KINDS } from '@lapsus/core/detect'
import { REMEDIES } from '@lapsus/core/remedy'
import { Menu } from '../components/menu.tsx'
import { usePlan } from '../state/plan.ts'
import { useSettings } from '../state/settings.ts'

/** Any remedy for any path, whether a finding thought of it or not. */
export function RemedyMenu({ path }: { path: string[] }) {
  return (
    <Menu
      small
      label="Plan a remedy for this path"
      picture={<ClipboardPlus size={15} />}
      items={REMEDY_KINDS.map((kind) => ({
        label: REMEDIES[kind].words,
        run: () => {
          useSettings.getState().setPlanOpen(true)
          void usePlan.getState().add(kind, path, '')
        },
      }))}
    />
  )
}
