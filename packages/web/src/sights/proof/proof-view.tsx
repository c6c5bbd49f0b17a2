import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { proofPlace } from '@lapsus/core/compare'
import { counts, emptyPlan, REMEDIES, type Plan } from '@lapsus/core/remedy'
import { plural, three } from '@lapsus/core/words'
import { api } from '../../api/takes.ts'
import { Select } from '../../components/select.tsx'
import { Words } from '../../components/words.tsx'
import { theDesk } from '../../plan/desk-client.ts'
import type { DeskProof } from '../../plan/desk.ts'
import { usePlan } from '../../state/plan.ts'
import type { OpenTake } from '../../state/take.ts'
import { useFramesQuery } from '../../state/frames-query.ts'
import { useView } from '../../state/view.ts'
import { ProofStrip } from './proof-strip.tsx'
import { ProofFigures, ProofPaths } from './proof-tables.tsx'
import { ProofTakes } from './proof-takes.tsx'

/** How right the forecast was: recorded before, forecast, recorded with the fix, side by side. */
export function ProofView({ take, budgetMs }: { take: OpenTake; budgetMs: number }) {
  const { plan, ready, reading } = usePlan()
  const [about, setAbout] = useState<string | null>(null)
  if (plan === null)
    return (
      <Words title="There is no plan to prove">
        Plan a fix, write it, record again, and name that take here: the forecast and what came of it stand
        side by side.
      </Words>
    )
  if (!ready) return <Words title={reading === null ? 'Opening…' : 'Reading the take…'} />
  // An item that was removed meanwhile leaves the whole plan.
  const item = plan.items.find(({ id }) => id === about) ?? null
  return (
    <div className="flex h-full flex-col overflow-y-auto" data-testid="proof">
      <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-2 border-b border-line px-3 py-1">
        <b className="font-serif text-base">Proof</b>
        <span className="text-faint">of</span>
        <Select
          label="What is proved"
          values={['', ...plan.items.map(({ id }) => id)]}
          words={(id) => {
            const place = plan.items.findIndex((one) => one.id === id)
            return place < 0
              ? 'the whole plan'
              : `${place + 1}. ${REMEDIES[plan.items[place]!.remedy].words}, ${plan.items[place]!.path.at(-1) ?? 'whole frames'}`
          }}
          value={item?.id ?? ''}
          onChange={(id) => setAbout(id === '' ? null : id)}
        />
        <span className="whitespace-nowrap text-faint">by</span>
        <ProofTakes
          take={take}
          proof={item === null ? plan.proof : item.proof}
          onChange={(proof) => {
            const { change, changeItem } = usePlan.getState()
            if (item === null) change({ proof })
            else changeItem(item.id, { proof })
          }}
        />
      </div>
      <Proof
        take={take}
        budgetMs={budgetMs}
        proof={item === null ? plan.proof : item.proof}
        plan={item === null ? plan : { ...emptyPlan(), items: [{ ...item, on: true, state: 'done' }] }}
      />
    </div>
  )
}

interface Proving {
  key: string
  forecastNs: Float64Array
  /** Null while no take is named. */
  proof: DeskProof | null
  error: string | null
}

interface ProofProps {
  take: OpenTake
  budgetMs: number
  proof: readonly string[]
  plan: Plan
}

function Proof({ take, budgetMs, proof, plan }: ProofProps) {
  const withoutRecorder = useView((view) => view.withoutRecorder)
  const key = JSON.stringify([take.detail.id, proof, plan.items, budgetMs, withoutRecorder])
  const [state, setState] = useState<Proving | null>(null)
  useEffect(() => {
    let current = true
    void prove(proof, plan, withoutRecorder).then(
      (found) => current && setState({ key, ...found, error: null }),
      (error: Error) =>
        current && setState({ key, forecastNs: new Float64Array(0), proof: null, error: error.message }),
    )
    return () => void (current = false)
    // The key stands for everything that is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key])
  if (state === null || state.key !== key) return <Words title="Comparing…" />
  if (state.error !== null)
    return (
      <Words alarm title="They could not be compared">
        {state.error}
      </Words>
    )
  return (
    <>
      <Strips take={take} forecastNs={state.forecastNs} proof={state.proof} budgetMs={budgetMs} />
      {state.proof === null ? (
        <p className="px-4 py-3 text-faint">
          No take is named yet. Write the fix, record the same load again, and choose that take above.
        </p>
      ) : (
        <Told proof={state.proof} plan={plan} takes={proof} />
      )}
    </>
  )
}

async function prove(
  proof: readonly string[],
  plan: Plan,
  withoutRecorder: boolean,
): Promise<Pick<Proving, 'forecastNs' | 'proof'>> {
  const desk = theDesk()
  const { workNs } = await desk.figures(plan)
  if (proof.length === 0) return { forecastNs: workNs, proof: null }
  const takes = await Promise.all(
    proof.map(async (text) => {
      const { take, variant } = proofPlace(text)
      return { detail: await api.take(take), variant }
    }),
  )
  return { forecastNs: workNs, proof: await desk.prove(plan, takes, withoutRecorder) }
}

function Told({ proof, plan, takes }: { proof: DeskProof; plan: Plan; takes: readonly string[] }) {
  const { sentence, differences, lines, paths, speed } = proof.told
  const itemsOf = (path: readonly string[]) =>
    plan.items.flatMap((item, i) =>
      counts(item) && item.path.length > 0 && item.path.every((name, at) => path[at] === name) ? [i + 1] : [],
    )
  return (
    <>
      <p className="border-b border-line px-4 py-2 text-[15px]" data-testid="proof-words">
        {sentence}
      </p>
      <Differences differences={differences} />
      <div className="px-2 py-1">
        <ProofFigures lines={lines} />
        <h3 className="mt-3 mb-1 px-2 font-serif text-base">Paths</h3>
        {paths.length === 0 ? (
          <p className="px-2 text-faint">No path was to change, and none surely did.</p>
        ) : (
          <ProofPaths paths={paths} itemsOf={itemsOf} />
        )}
      </div>
      <p className="px-4 py-2 text-xs text-faint">
        {speed.telling === 0
          ? 'Too few paths tell how fast the machine was: nothing is taken out. '
          : `Unchanged code took ${three(speed.ratio)} × as long with the fix (${three(speed.low)} to ${three(speed.high)}, told by ${plural(speed.telling, 'path')}). `}
        {takes.map((text, i) => (
          <Link key={text} to={`/takes/${proofPlace(text).take}`} className="mr-3 underline">
            {takes.length === 1
              ? 'Open the take recorded with the fix'
              : `Open take ${i + 1} recorded with the fix`}
          </Link>
        ))}
      </p>
    </>
  )
}

function Differences({ differences }: { differences: string[] }) {
  if (differences.length === 0)
    return <p className="px-4 py-2 text-xs text-faint">Load and conditions of both sides are alike.</p>
  return (
    <div
      role="alert"
      className="mx-4 my-2 rounded border border-alarm/60 px-3 py-1.5 text-[12.5px]"
      data-testid="differences"
    >
      <b className="font-medium">These takes are not alike, so the figures may not be due to the fix:</b>{' '}
      {differences.join('; ')}.
    </div>
  )
}

function Strips({
  take,
  forecastNs,
  proof,
  budgetMs,
}: {
  take: OpenTake
  forecastNs: Float64Array
  proof: DeskProof | null
  budgetMs: number
}) {
  const { from, to } = useFramesQuery(take)
  const rows = [
    { words: 'recorded before', workNs: take.frames.workNs.subarray(from, to + 1) },
    { words: 'forecast', workNs: forecastNs },
    ...(proof === null ? [] : [{ words: 'recorded with the fix', workNs: proof.workNs }]),
  ]
  return (
    <div className="shrink-0 border-b border-line">
      {rows.map(({ words, workNs }) => (
        <ProofStrip key={words} words={words} workNs={workNs} budgetMs={budgetMs} />
      ))}
    </div>
  )
}
