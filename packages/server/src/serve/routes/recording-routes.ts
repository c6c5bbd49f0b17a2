import { handlers } from './mount.ts'
import type { Recordings } from '../../recordings/recordings.ts'
import { notFound, ProblemError } from '../../problem-error.ts'
import { parseRequest, RecordingBody } from '../requests.ts'

export function recordingRoutes(recordings: Recordings) {
  return handlers({
    'GET /api/demo-game': async (context) => {
      context.body = await recordings.demo()
    },

    'GET /api/recordings': async (context) => {
      context.body = await recordings.list()
    },

    'POST /api/recordings': async (context) => {
      const request = await parseRequest(RecordingBody, context.request.body ?? {})
      const { flaws } = await recordings.demo()
      const unknown = request.flaws.find((flaw) => !flaws.some(({ id }) => id === flaw))
      if (unknown !== undefined) throw new ProblemError(400, `there is no flaw "${unknown}"`, 'flaws')
      if (request.trial !== '' && !flaws.some(({ id, switched }) => switched && id === request.trial))
        throw new ProblemError(400, `there is no flaw "${request.trial}" to be played in turn`, 'trial')
      context.body = await recordings.start(request)
      context.status = 201
    },

    'GET /api/recordings/:recording': async (context) => {
      context.body = (await recordings.get(context['params'].recording)) ?? missing()
    },

    'POST /api/recordings/:recording/stop': async (context) => {
      context.body = (await recordings.stop(context['params'].recording)) ?? missing()
    },
  })
}

function missing(): never {
  throw notFound('recording of that name', 'recording')
}
