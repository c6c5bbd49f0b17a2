/**
 * Every figure that a rule is made of has a case just short of it and one just at it. A figure without a case fails,
 * and so does a case without a figure.
 */
import { expect } from 'chai'
import { DETECTION_LIMITS } from '@lapsus/core/detect'
import { REMEDIES } from '@lapsus/core/remedy'
import { KIND_EDGES } from './support/kind-edges.ts'
import { REMEDY_EDGES } from './support/remedy-edges.ts'
import { SHARED_EDGES } from './support/shared-edges.ts'

type Limits = Readonly<Record<string, number>>

function flat(groups: Record<string, Limits | undefined>): [string, number][] {
  return Object.entries(groups).flatMap(([group, limits]) =>
    Object.entries(limits ?? {}).map(([name, value]): [string, number] => [`${group}.${name}`, value]),
  )
}

const { kinds, ...shared } = DETECTION_LIMITS
const REMEDY_LIMITS = Object.fromEntries(Object.values(REMEDIES).map(({ kind, limits }) => [kind, limits]))

for (const [what, limits, edges] of [
  ['what kinds of findings share', flat(shared), SHARED_EDGES],
  ['kinds of findings', flat(kinds), KIND_EDGES],
  ['remedies', flat(REMEDY_LIMITS), REMEDY_EDGES],
] as const) {
  describe(`edges of ${what}`, () => {
    it('have a case for each figure', () => {
      expect(Object.keys(edges).sort()).to.deep.equal(limits.map(([name]) => name).sort())
    })

    for (const [name, limit] of limits) {
      it(name, () => {
        const [short, at] = edges[name]!(limit)
        expect(short(), 'just short of it').to.equal(false)
        expect(at(), 'just at it').to.equal(true)
      })
    }
  })
}
