/**
 * Every address that this server answers, and who may ask there. Routers, the check of who asks, docs/api.md and the
 * walk of the tests are made from it: what does not stand here is answered by nobody.
 */
import { EDGES } from '../../lists/edges.ts'

/** Who may ask, where a password is asked for; without one everybody on this machine may. */
export const WHO = {
  anybody: 'anybody',
  /** Its games are known once its records are read. */
  game: 'an ingest key',
  sender: 'the password, or the ingest key of all games',
  person: 'the password',
} as const
export type Who = keyof typeof WHO

export interface Route {
  who: Who
  /** What of the query is understood; for docs/api.md. */
  query?: string
  tells: string
  /** Reads its body itself, in any encoding, `whole` or piece by piece; others are given JSON. */
  readsBody?: 'whole' | 'in-pieces'
  /** Answers while the database is away, too. */
  withoutDatabase?: true
}

const LISTED = {
  'GET /health': {
    who: 'anybody',
    tells:
      'within a second: 200 `{"status": "ok"}`, or 503 with `status` `degraded` or `away` and the `reason`',
    withoutDatabase: true,
  },
  'GET /api/session': { who: 'anybody', tells: '`isNeeded`, `isSignedIn`' },
  'POST /api/session': {
    who: 'anybody',
    tells: 'signs in with `password`: a cookie; 429 with `Retry-After` after too many wrong ones',
  },
  'DELETE /api/session': { who: 'anybody', tells: 'signs out' },
  'GET /api/sessions': {
    who: 'person',
    tells:
      'where somebody is signed in: `id`, `began`, `seenAt`, `until`, `address`, `agent`, and `isThis` for the one that asks',
  },
  'DELETE /api/sessions': { who: 'person', tells: 'signs out everywhere' },
  'DELETE /api/sessions/:session': { who: 'person', tells: 'ends one session, by its `id`' },
  'GET /api/load': {
    who: 'person',
    tells:
      'how busy the server is: `threads[]` (`kind`, `threads`, `inHand`, `waiting`), `late` (`p99Ms`, `mostMs` of its own thread within the last half to whole minute), `memoryBytes`',
  },
  'GET /api/storage': {
    who: 'person',
    tells:
      'what takes use, `takes`, `bytes`, `keptTakes`, `keptBytes`, and which leave by themselves, `keepDays`, `keepBytes`',
  },
  'GET /get/:file': {
    who: 'anybody',
    tells:
      'what games and other machines install: `lapsus-probe.tgz`, `lapsus-cli.tgz`, `probe.js`, `lapsus-probe.js`, `lapsus.h`, `Lapsus.cs`, `lapsus.lua`, `lapsus.py`',
    withoutDatabase: true,
  },
  'GET /api/games': { who: 'person', tells: 'games with their number of takes' },
  'GET /api/takes': {
    who: 'person',
    query: '?game=&search=&tag=&device=&build=&scene=&mode=&state=&limit=',
    tells:
      'takes, newest first, all or `limit` of them; `search` looks into names, notes, tags and conditions',
  },
  'GET /api/deleted-takes': { who: 'person', tells: 'takes that were put aside' },
  'GET /api/takes/:take': {
    who: 'person',
    tells:
      'one take with its markers, lanes, gauges, paths, moments, `problems[]` that its recorder counted, and `setAsideRecords[]`',
  },
  'PATCH /api/takes/:take': {
    who: 'person',
    tells: 'changes `name`, `note`, `tags`, and of the `conditions` `build` and `scene`',
  },
  'GET /api/takes/:take/pictures': {
    who: 'person',
    tells: 'pictures of the screen in order of time: `name`, `atNs`, `width`, `height`',
  },
  'GET /api/takes/:take/pictures/:picture': { who: 'person', tells: 'one of them, by its name' },
  'PUT /api/takes/:take/source': {
    who: 'person',
    tells:
      'puts lines of source around markers: `markers[]` with `marker`, `from` and `lines[]`; where a marker stands is in `markers[].at` of the take',
  },
  'GET /api/takes/:take/set-aside/:sequence': {
    who: 'person',
    tells: 'a record that could not be stored, as it came',
  },
  'DELETE /api/takes/:take': { who: 'person', tells: 'puts it aside for 30 days' },
  'POST /api/takes/:take/restore': { who: 'person', tells: 'brings it back within them' },
  'GET /api/takes/:take/live': {
    who: 'person',
    query: '?from=',
    tells:
      'of a take that is being recorded: frames from that one on, moments, last gauge values, counts; CBOR',
  },
  'POST /api/takes/:take/stop': { who: 'person', tells: 'asks the game to end its take' },
  'POST /api/takes/:take/discard': { who: 'person', tells: 'asks the game to stop, and puts the take aside' },
  'POST /api/takes/:take/keep': {
    who: 'person',
    tells: 'asks a game in mode keep-last for its last seconds; `cause`',
  },
  'POST /api/takes/:take/excerpts': {
    who: 'person',
    tells: 'keeps the frames `from` to `to`, both included, as a take of their own, called `name`',
  },
  'GET /api/takes/:take/frames': {
    who: 'person',
    tells: 'the columns of all frames, a CBOR Sequence (`packages/core/src/take/frames-codec.ts`)',
  },
  'PUT /api/takes/:take/marks': {
    who: 'person',
    tells:
      'marks a `finding`, by its id, in all takes of the game: `mark` is `known`, `no-problem`, or `null` to take it back; `reason`',
  },
  'GET /api/takes/:take/file': {
    who: 'person',
    query: '?format=',
    tells: 'the take as a file: `lapsus`, `jsonl`, `otlp`, `csv`',
  },
  'GET /api/takes/:take/verification': {
    who: 'person',
    tells:
      'reads every blob of the take back and holds it against what was noted when it was stored: `records`, `isSent`, `problems[]`; as `lapsus verify --json` prints it',
  },
  'GET /api/archives': {
    who: 'person',
    query: '?takes=&format=',
    tells: 'several takes as one file, one after the other; identities with commas between',
  },
  'GET /api/miniatures': {
    who: 'person',
    query: '?takes=',
    tells: 'small pictures of takes by their identity: work in µs, worst and median of each column',
  },
  'GET /api/plans/:plan/proof': {
    who: 'person',
    tells: 'what the plan’s takes prove: as `lapsus forecast --with` prints it as JSON',
  },
  'POST /api/imports': {
    who: 'sender',
    query: '?frameMarker=&game=',
    tells:
      'stores the takes that are the body, in any known format, plain or gzip; tells of the first, and of `others[]`',
    readsBody: 'in-pieces',
  },
  'POST /ingest/:take': {
    who: 'game',
    tells:
      'records of a take, as CBOR or lines of JSON; answered after commit with `ack`, `orders[]`, `notes[]`, see [format.md](format.md#streaming-by-http)',
    readsBody: 'whole',
  },
  'POST /v1/traces': {
    who: 'sender',
    query: '?frame-marker=',
    tells: 'OpenTelemetry traces, protobuf or JSON, see [format.md](format.md)',
    readsBody: 'whole',
  },
  'GET /api/jobs': {
    who: 'person',
    tells:
      'imports, exports, excerpts, composites and reports under way: `id`, `kind`, `name`, `state`, `bytes` of `ofBytes`, `frames` of `ofFrames`, `secondsLeft`. A request may choose the number of its job in the header `Lapsus-Job`; with `keep=1` in its query an import, excerpt or composite goes on when its client has gone',
  },
  'GET /api/jobs/:job': { who: 'person', tells: 'one of them' },
  'DELETE /api/jobs/:job': { who: 'person', tells: 'stops one' },
  'GET /api/left': {
    who: 'person',
    tells:
      'what games have left and nobody has taken up: `file`, `take`, `game`, `bytes`, `at`, and the `reason` why it waits',
  },
  'POST /api/left/:file': { who: 'person', tells: 'stores one, whatever its key' },
  'DELETE /api/left/:file': { who: 'person', tells: 'throws one away' },
  'GET /api/demo-game': { who: 'person', tells: 'what can be chosen when the demo game is recorded' },
  'POST /api/recordings': {
    who: 'person',
    tells:
      'records the demo game: `seconds`, `seed`, `flaws`, `trial`, `letters`, `moths`, `name`, `target`, `mode`, `keepSeconds`, `tripMs`, `routes`, `graphicsMs`, `handset`, `ramp`',
  },
  'GET /api/recordings': {
    who: 'person',
    tells: 'recordings with their progress; more than there are processors are `waiting` in line',
  },
  'GET /api/recordings/:recording': { who: 'person', tells: 'one of them' },
  'POST /api/recordings/:recording/stop': {
    who: 'person',
    tells: 'stops one and keeps its take; one that waits is called off',
  },
  'GET /games/moth-post': { who: 'anybody', tells: 'leads there', withoutDatabase: true },
  'GET /games/moth-post/{*file}': {
    who: 'anybody',
    query: '?seed=&letters=&moths=&flaws=&begin',
    tells: 'the demo game in the browser; the query chooses and begins',
    withoutDatabase: true,
  },
  'GET /api/takes/:take/study': {
    who: 'person',
    tells:
      'what forecasts are computed from: stored chunks of frame columns, courses and samples, a CBOR Sequence (`packages/core/src/study/stored.ts`)',
  },
  'GET /api/takes/:take/plans': { who: 'person', tells: "plans of the take's game, last changed first" },
  'POST /api/takes/:take/plans': {
    who: 'person',
    tells:
      'makes a plan from the take; the body is a plan ([plan.md](plan.md)); `problems` names what was left out',
  },
  'GET /api/plans/:plan': { who: 'person', tells: 'one plan with its `revision`' },
  'PUT /api/plans/:plan': {
    who: 'person',
    tells: 'writes `plan` anew over `revision`; 409 when somebody else did meanwhile',
  },
  'DELETE /api/plans/:plan': { who: 'person', tells: 'puts it aside' },
  'POST /api/plans/:plan/restore': { who: 'person', tells: 'brings it back' },
  'GET /api/takes/:take/budgets': {
    who: 'person',
    tells: "what groups may take, ms a frame: of the take's device, else of any",
  },
  'PUT /api/takes/:take/budgets': {
    who: 'person',
    tells: 'sets `groups` for `device` (empty: any); no groups: none of its own',
  },
  'GET /api/comparisons': {
    who: 'person',
    query: '?before=&after=&target=',
    tells:
      'takes after set against takes before, by their identities with commas between: as `lapsus compare --json` prints it',
  },
  'POST /api/checks': {
    who: 'person',
    tells:
      'holds `takes[]` against a `budget` ([check.md](check.md)), against takes before, `against[]`, or both: as `lapsus check --json` prints it',
  },
  'GET /api/takes/:take/budget': {
    who: 'person',
    tells: 'a budget a little above what the take has, as `lapsus check --write` makes it',
  },
  'POST /api/composites': {
    who: 'person',
    tells:
      'lays `takes[]` of the same run over one another and keeps the result as a take called `name`; 422 says where they are not the same run',
  },
  'GET /api/history': {
    who: 'person',
    query: '?game=',
    tells: "`lines[]` of a game's takes over weeks, as `lapsus history --json` prints them",
  },
  'GET /api/devices': {
    who: 'person',
    query: '?game=',
    tells: '`rows[]` by device, `targets[]` and the slowest row that holds each, `lowest[]`',
  },
  'GET /api/tried': {
    who: 'person',
    query: '?game=&search=',
    tells: '`items[]` of all plans of a game, and `comparisons[]` that were kept',
  },
  'GET /api/report': {
    who: 'person',
    query: '?take=` or `before=&after=` or `plan=` or `game=`, `&format=',
    tells: 'the report as a file, as `lapsus report` writes it',
  },
  'POST /api/kept-comparisons': {
    who: 'person',
    tells: 'keeps a comparison among what was tried: `before[]`, `after[]`, `sentence`',
  },
  'DELETE /api/kept-comparisons/:comparison': { who: 'person', tells: 'drops it' },
} as const satisfies Record<string, Route>

type Listed = typeof LISTED
export type RouteName = keyof Listed

/** Of a question of a take. */
export const questionRoute = (at: string): string => `GET /api/takes/:take/${at}`

/** By method and path, as the router understands it; a question's is described with the question. */
export const ROUTES: Readonly<Record<string, Route>> = {
  ...LISTED,
  ...Object.fromEntries(
    EDGES.map(({ question }) => [questionRoute(question.at), { who: 'person', tells: question.about }]),
  ),
}

/** The addresses that docs/api.md lists one by one. */
export const LISTED_ROUTES: Readonly<Record<string, Route>> = LISTED
