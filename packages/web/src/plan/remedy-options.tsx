import { Plus } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { RemedyKind } from '@lapsus/core/detect'
import type { FindingReport } from '@lapsus/core/questions/diagnosis'
import { REMEDIES, type RemedyOption } from '@lapsus/core/remedy'
import { ms, plural } from '@lapsus/core/words'
import { IconButton } from '../components/button.tsx'
import { usePlan } from '../state/plan.ts'
import { useSettings } from '../state/settings.ts'
import type { OpenTake } from '../state/take.ts'
import { useFramesQuery } from '../state/frames-query.ts'

interface OptionsProps {
  take: OpenTake
  path: string[]
  subject: string
  remedies: readonly RemedyKind[]
  /** Where it strikes, if not everywhere. */
  frames: readonly number[]
  trouble: FindingReport['trouble']
}

/** What fits, with what each would bring by itself: gain against price and effort. */
export function RemedyOptions({ take, path, subject, remedies, frames, trouble }: OptionsProps) {
  const query = useFramesQuery(take)
  const { ready, reading, error, detail } = usePlan()
  const [options, setOptions] = useState<RemedyOption[] | null>(null)
  const [failure, setFailure] = useState<string | null>(null)
  const [unfolded, setUnfolded] = useState(false)
  useEffect(() => void usePlan.getState().prepare(take.detail, query), [take.detail, query])
  const key = JSON.stringify([path, subject, remedies, frames])
  useEffect(() => {
    if (!ready) return
    let current = true
    setOptions(null)
    setFailure(null)
    void usePlan
      .getState()
      .options({ path, subject, remedies, frames: trouble === 'spike' ? frames : [] })
      .then(
        (found) => current && setOptions(found),
        (failed: Error) => current && setFailure(failed.message),
      )
    return () => void (current = false)
    // The key stands for what is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ready, key, detail])
  if (error !== null || failure !== null) return <p className="text-xs text-alarm">{error ?? failure}</p>
  if (options === null)
    return (
      <p className="text-xs text-faint">
        {reading === null
          ? 'working out what fits…'
          : `reading the take to work out what fits, ${Math.round(reading * 100)} %`}
      </p>
    )
  const addTo = async (remedy: RemedyKind) => {
    useSettings.getState().setPlanOpen(true)
    await usePlan.getState().add(remedy, path, subject)
  }
  const helping = options.filter(({ helps }) => helps)
  const others = options.filter(({ helps }) => !helps)
  const rows = (some: RemedyOption[]) =>
    some.map((option) => (
      <Row
        key={option.remedy}
        option={option}
        spike={trouble === 'spike'}
        onAdd={() => void addTo(option.remedy)}
      />
    ))
  return (
    <table className="w-full text-xs tabular-nums" aria-label="What fits" data-testid="options">
      {helping.length > 0 && (
        <thead className="text-faint">
          <tr>
            <th className="text-left font-normal">what fits</th>
            <th
              className="px-1 text-right font-normal"
              title={
                trouble === 'spike'
                  ? 'Work it would take from a frame where this strikes, with what the take suggests'
                  : 'Work it would take from every frame, with what the take suggests'
              }
            >
              gain
            </th>
            <th className="text-left font-normal">effort</th>
            <th className="relative">
              <span className="sr-only">into the plan</span>
            </th>
          </tr>
        </thead>
      )}
      <tbody>{rows(helping)}</tbody>
      {others.length > 0 && (
        <tbody>
          <tr>
            <td colSpan={4} className="pt-1">
              <button
                type="button"
                aria-expanded={unfolded}
                className="text-faint underline"
                onClick={() => setUnfolded(!unfolded)}
              >
                {plural(others.length, 'other')}, which as suggested{' '}
                {others.length === 1 ? 'brings' : 'bring'} nothing here
              </button>
            </td>
          </tr>
          {unfolded && rows(others)}
        </tbody>
      )}
    </table>
  )
}

function Row({ option, spike, onAdd }: { option: RemedyOption; spike: boolean; onAdd(): void }) {
  const { remedy, words, about, effort, refusal, price } = option
  const gainMs = spike ? option.gainMsWhereItStrikes : option.gainMsPerFrame
  return (
    <>
      <tr className="border-t border-line/60" data-remedy={remedy} title={`${words}: ${about}`}>
        <td className={`pt-0.5 font-medium ${refusal === null ? '' : 'text-faint'}`}>{words}</td>
        <td className="px-1 pt-0.5 text-right whitespace-nowrap">{refusal === null ? ms(gainMs) : '–'}</td>
        <td className="pt-0.5 text-faint">{effort}</td>
        <td className="pt-0.5 text-right">
          <IconButton
            label={`Plan: ${REMEDIES[remedy].words}`}
            className="size-5!"
            disabled={refusal !== null}
            onClick={onAdd}
          >
            <Plus size={13} />
          </IconButton>
        </td>
      </tr>
      <tr>
        <td colSpan={4} className="pb-1 text-[11px] leading-tight text-faint">
          {refusal ?? price.join('; ')}
        </td>
      </tr>
    </>
  )
}
