import { EllipsisVertical } from 'lucide-react'
import { useRef } from 'react'
import { planFromText, planToJson } from '@lapsus/core/remedy'
import { reportAddress } from '../api/reports.ts'
import { Menu } from '../components/menu.tsx'
import { copyText, saveText } from '../state/take-away.ts'
import { notify } from '../state/notices.ts'
import { usePlan } from '../state/plan.ts'
import type { OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import { theDesk } from './desk-client.ts'

/** What can be done with a whole plan: in and out, as text and as JSON. */
export function PlanMenu({ take }: { take: OpenTake }) {
  const plan = usePlan((state) => state.plan)
  const ready = usePlan((state) => state.ready)
  const id = usePlan((state) => state.id)
  const { begin, remove } = usePlan.getState()
  const file = useRef<HTMLInputElement>(null)
  const markdown = async (): Promise<string> => {
    const { game, name, started, target } = take.detail
    const context = { game, take: name || started, target: useView.getState().target ?? target }
    return theDesk().markdown(plan!, context)
  }
  const fileName = `${(plan?.name ?? 'plan').replace(/[^\p{L}\p{N}]+/gu, '-') || 'plan'}`
  const ofPlan =
    plan === null
      ? []
      : [
          ...(ready
            ? [
                {
                  label: 'Copy as Markdown',
                  run: () => void markdown().then((text) => copyText(text, 'The plan is')),
                },
                {
                  label: 'Save as Markdown',
                  run: () =>
                    void markdown().then((text) => saveText(`${fileName}.md`, 'text/markdown', text)),
                },
              ]
            : []),
          ...(id === null
            ? []
            : [
                { label: 'Report as a page, with its proof', href: reportAddress({ plan: id }, 'html') },
                { label: 'Report as Markdown, with its proof', href: reportAddress({ plan: id }, 'md') },
              ]),
          {
            label: 'Save as JSON',
            run: () =>
              saveText(
                `${fileName}.json`,
                'application/json',
                `${JSON.stringify(planToJson(plan), null, 2)}\n`,
              ),
          },
        ]
  const read = async (chosen: File | undefined) => {
    if (chosen === undefined) return
    try {
      const { plan: read, problems } = planFromText(await chosen.text())
      await begin(planToJson(read))
      for (const problem of problems) notify(problem)
    } catch (error) {
      notify(`${chosen.name} could not be opened: ${(error as Error).message}`)
    }
  }
  return (
    <>
      <Menu
        small
        label="More of the plan"
        picture={<EllipsisVertical size={15} />}
        items={[
          ...ofPlan,
          { label: 'Open a file…', run: () => file.current?.click() },
          { label: 'Begin an empty plan', run: () => void begin() },
          ...(plan === null ? [] : [{ label: 'Delete this plan', run: () => void remove() }]),
        ]}
      />
      <input
        ref={file}
        type="file"
        accept=".json,.md,application/json,text/markdown"
        aria-label="Plan as JSON or Markdown"
        className="hidden"
        onChange={(event) => {
          void read(event.target.files?.[0])
          event.target.value = ''
        }}
      />
    </>
  )
}
