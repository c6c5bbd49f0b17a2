import type { Random } from './random.ts'

/** Scales on a pair of wings that move on their own. */
const SCALES = 40

/** One scale as an object of its own, its parts known by name: the costly way to keep many of them. */
export class Scale {
  readonly parts: Map<string, number>

  constructor(angle: number, stiffness: number) {
    this.parts = new Map([
      ['angle', angle],
      ['speed', 0],
      ['stiffness', stiffness],
    ])
  }

  get angle(): number {
    return this.parts.get('angle')!
  }

  beat(): void {
    const { parts } = this
    parts.set('speed', (parts.get('speed')! - Math.sin(parts.get('angle')!) * parts.get('stiffness')!) * 0.98)
    parts.set('angle', parts.get('angle')! + parts.get('speed')!)
  }
}

/** The wings of all moths, both as objects and packed; only one of the two is moved. */
export interface Wings {
  objects: Scale[][]
  angle: Float64Array
  speed: Float64Array
  stiffness: Float64Array
}

export function newWings(moths: number, random: Random): Wings {
  const count = moths * SCALES
  const angle = Float64Array.from({ length: count }, () => random() * 2 - 1)
  const stiffness = Float64Array.from({ length: count }, () => 0.02 + random() * 0.05)
  const objects = Array.from({ length: moths }, (_, moth) =>
    Array.from({ length: SCALES }, (_, i) => {
      const at = moth * SCALES + i
      return new Scale(angle[at]!, stiffness[at]!)
    }),
  )
  return { objects, angle, speed: new Float64Array(count), stiffness }
}

/** One step of all packed wings. */
export function beatPacked({ angle, speed, stiffness }: Wings): void {
  for (let i = 0; i < angle.length; i++) {
    speed[i] = (speed[i]! - Math.sin(angle[i]!) * stiffness[i]!) * 0.98
    angle[i] = angle[i]! + speed[i]!
  }
}

/** What the wings come to, whichever way they are kept. */
export function wingSum({ objects, angle }: Wings, asObjects: boolean): number {
  if (!asObjects) return angle.reduce((sum, value) => sum + value, 0)
  return objects.reduce((sum, scales) => scales.reduce((part, scale) => part + scale.angle, sum), 0)
}
