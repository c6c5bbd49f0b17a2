import { DIAGNOSIS } from '@lapsus/core/questions/diagnosis'
import { diagnosisOf } from '../answers/diagnoses.ts'
import { edgeOf, FramesParams } from '../edge.ts'
import { listMarks } from '../queries/marks.ts'

export const edge = edgeOf({
  question: DIAGNOSIS,
  params: FramesParams,
  answer: async (sources, row, query) => ({
    ...(await diagnosisOf(sources, row, query)),
    marks: await listMarks(sources.store, row.gameId),
  }),
})
