import { Slider as Primitive } from 'radix-ui'

interface SliderProps {
  label: string
  least: number
  most: number
  step: number
  value: number
  onChange(value: number): void
}

/** A value that is found by dragging; arrow keys move it as well. */
export function Slider({ label, least, most, step, value, onChange }: SliderProps) {
  return (
    <Primitive.Root
      className="relative flex h-5 min-w-0 grow touch-none items-center"
      min={least}
      max={most}
      step={step}
      value={[Math.min(most, Math.max(least, value))]}
      onValueChange={([next]) => onChange(next!)}
      onKeyDown={(event) => event.stopPropagation()}
    >
      <Primitive.Track className="relative h-0.75 grow rounded bg-line">
        <Primitive.Range className="absolute h-full rounded bg-work" />
      </Primitive.Track>
      <Primitive.Thumb
        aria-label={label}
        className="block h-4 w-2 rounded-sm border border-work bg-leaf hover:bg-pick focus-visible:outline-2"
      />
    </Primitive.Root>
  )
}
