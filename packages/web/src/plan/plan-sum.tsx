import { ms, percent } from '@lapsus/core/words'
import { usePlan } from '../state/plan.ts'
import { useView } from '../state/view.ts'

/** What the plan comes to, in three lines. */
export function PlanSum() {
  const forecast = usePlan((state) => state.forecast)
  if (forecast === null) return null
  const { before, after } = forecast.forecast
  const rows: [string, string, string][] = [
    ['p50', ms(before.frames.work.p50), ms(after.frames.work.p50)],
    ['p95', ms(before.frames.work.p95), ms(after.frames.work.p95)],
    ['over', percent(before.frames.overShare), percent(after.frames.overShare)],
  ]
  return (
    <button
      type="button"
      title="Open the forecast"
      data-testid="plan-sum"
      className="block w-full border-b border-line px-3 py-1.5 text-left tabular-nums hover:bg-line/35"
      onClick={() => useView.getState().change({ sight: 'forecast' })}
    >
      <span className="grid grid-cols-[3rem_1fr_1rem_1fr] gap-x-1 text-xs">
        {rows.map(([words, was, is]) => (
          <span key={words} className="contents">
            <span className="text-faint">{words}</span>
            <span className="text-right text-faint">{was}</span>
            <span className="text-center text-faint">→</span>
            <b className="font-medium">{is}</b>
          </span>
        ))}
      </span>
    </button>
  )
}
