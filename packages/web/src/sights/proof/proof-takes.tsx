import { proofPlace, proofText, variantsOf } from '@lapsus/core/compare'
import { X } from 'lucide-react'
import { useEffect, useState } from 'react'
import { api } from '../../api/takes.ts'
import { IconButton } from '../../components/button.tsx'
import { Select } from '../../components/select.tsx'
import type { OpenTake } from '../../state/take.ts'
import { TakeChoice } from './take-choice.tsx'

interface ProofTakesProps {
  take: OpenTake
  /** Takes, or parts of them, as a plan names them. */
  proof: readonly string[]
  onChange(proof: string[]): void
}

/** The takes that were recorded with the fix: one or several, each whole or as far as a trial used a variant. */
export function ProofTakes({ take, proof, onChange }: ProofTakesProps) {
  const put = (at: number, text: string | null) =>
    onChange([...proof.slice(0, at), ...(text === null ? [] : [text]), ...proof.slice(at + 1)])
  return (
    <span className="flex min-w-0 flex-wrap items-center gap-2">
      {proof.map((text, at) => {
        const place = proofPlace(text)
        return (
          <span key={`${at} ${text}`} className="flex min-w-0 items-center gap-1">
            <TakeChoice
              label="Take recorded with the fix"
              none="none"
              take={take}
              value={place.take}
              onChange={(id) => put(at, id)}
            />
            <Variant
              takeId={place.take}
              variant={place.variant}
              onChange={(variant) => put(at, proofText({ ...place, variant }))}
            />
            <IconButton label="Do not count this take" onClick={() => put(at, null)}>
              <X size={13} />
            </IconButton>
          </span>
        )
      })}
      <TakeChoice
        key={proof.length}
        label={proof.length === 0 ? 'Take recorded with the fix' : 'Another take recorded with the fix'}
        none={proof.length === 0 ? 'none yet' : 'and another…'}
        take={take}
        value={null}
        onChange={(id) => id !== null && onChange([...proof, id])}
      />
    </span>
  )
}

/** Which frames count, where the take has a trial. */
function Variant({
  takeId,
  variant,
  onChange,
}: {
  takeId: string
  variant: string | null
  onChange(variant: string | null): void
}) {
  const [variants, setVariants] = useState<string[]>([])
  useEffect(() => {
    let current = true
    api.take(takeId).then(
      ({ gauges }) => current && setVariants(variantsOf(gauges)),
      // That it is gone is said where it is read.
      () => {},
    )
    return () => void (current = false)
  }, [takeId])
  if (variants.length === 0 && variant === null) return null
  return (
    <Select
      label="Frames that count"
      values={['', ...new Set([...variants, ...(variant === null ? [] : [variant])])]}
      words={(one) => (one === '' ? 'all frames' : `with ${one.replace('=', ' “')}”`)}
      value={variant ?? ''}
      onChange={(next) => onChange(next === '' ? null : next)}
    />
  )
}
