/** The plan that is open, its history, and what it would bring. */
import type { PlanSummary, StoredPlan, TakeDetail } from '@lapsus/api'
import {
  emptyPlan,
  newItem,
  planToJson,
  type Plan,
  type PlanItem,
  type RemedyOption,
  type Sensitivity,
  type Weighed,
} from '@lapsus/core/remedy'
import type { RemedyKind } from '@lapsus/core/detect'
import { proxy } from 'comlink'
import { create } from 'zustand'
import type { FramesQuery } from '../api/ask.ts'
import { gamesApi } from '../api/games.ts'
import { plansApi } from '../api/plans.ts'
import { RequestError } from '../api/http.ts'
import { theDesk } from '../plan/desk-client.ts'
import type { DeskForecast, OptionsRequest } from '../plan/desk.ts'
import { forecastingOf } from '../plan/forecasting.ts'
import {
  changed,
  historyOf,
  movedItem,
  redone,
  undone,
  withItem,
  withoutItem,
  type History,
} from '../plan/history.ts'
import { savingOf } from '../plan/saving.ts'
import { useBudgets } from './budgets.ts'
import { notify } from './notices.ts'

export interface PlanState {
  /** The take that is planned on. */
  detail: TakeDetail | null
  /** Plans of its game, last changed first; null until they are known. */
  plans: PlanSummary[] | null
  /** The one that is open; null for none. */
  id: string | null
  /** Raised with every change that is written. */
  revision: number
  plan: Plan | null
  /** The same plan with what it was; null for none. */
  history: History | null
  /** The item that is looked at; null for none. */
  item: string | null
  /** Share of the take that has been read, 0 to 1; null while nothing is read. */
  reading: number | null
  /** Whether the take is read and judged, and how. */
  ready: boolean
  judged: string
  error: string | null
  forecast: DeskForecast | null
  /** What the forecast hangs on, and its ranges; null until they are known. */
  weighed: Weighed | null

  /** Makes a take ready to be planned on. */
  prepare(detail: TakeDetail, chosen: FramesQuery): Promise<void>
  /** Learns which plans there are, and opens the wanted one, or the last. */
  load(detail: TakeDetail, wanted: string | null): Promise<void>
  open(id: string | null): Promise<void>
  begin(sent?: object): Promise<void>
  remove(): Promise<void>
  /** @param step what is changed: changes of the same step soon after one another are undone together */
  change(change: Partial<Plan>, step?: string): void
  changeItem(id: string, change: Partial<PlanItem>, step?: string): void
  removeItem(id: string): void
  /** Moves an item to another place. */
  moveItem(id: string, to: number): void
  add(remedy: RemedyKind, path: string[], subject: string): Promise<void>
  choose(item: string | null): void
  undo(): void
  redo(): void
  options(request: OptionsRequest): Promise<RemedyOption[]>
  /** Works the forecast out anew, with the budgets of now. */
  refresh(): void
}

/** What moves the result by less than this, ms, does not matter. */
const LEAST_SWING_MS = 0.01

/** The two assumptions that matter most; fewer where others hardly do. */
export const weightiest = (weighed: Weighed | null): Sensitivity[] =>
  (weighed?.sensitivity ?? []).filter(({ swingMs }) => swingMs >= LEAST_SWING_MS).slice(0, 2)

const NO_PLAN = {
  id: null,
  revision: 0,
  plan: null,
  history: null,
  item: null,
  forecast: null,
  weighed: null,
}

export const usePlan = create<PlanState>()((set, get) => {
  const forecasting = forecastingOf({
    plan: () => (get().ready ? get().plan : null),
    forecast: (plan) => theDesk().forecast(plan, useBudgets.getState().groups),
    weigh: (plan) => theDesk().weigh(plan),
    told: (news) => set(news),
  })
  const saving = savingOf(
    () => {
      const { id, plan } = get()
      return id === null || plan === null ? null : { id, plan }
    },
    (id, plan) => write(id, plan),
  )
  // A page that is left keeps what was changed last.
  globalThis.addEventListener?.('pagehide', () => void saving.flush())

  async function write(id: string, plan: Plan): Promise<void> {
    try {
      set({ revision: (await plansApi.change(id, get().revision, plan)).revision })
      await relist()
    } catch (error) {
      if (error instanceof RequestError && error.status === 409)
        notify('This plan was changed elsewhere meanwhile.', {
          label: 'Load that',
          run: () => void get().open(id),
        })
      else notify((error as Error).message)
    }
  }

  async function relist(): Promise<void> {
    const { detail } = get()
    if (detail !== null) set({ plans: await plansApi.list(detail.id) })
  }

  function show(stored: StoredPlan | null): void {
    if (stored === null) set(NO_PLAN)
    else {
      const { id, revision, plan, problems } = stored
      set({ ...NO_PLAN, id, revision, plan, history: historyOf(plan), item: plan.items[0]?.id ?? null })
      for (const problem of problems) notify(problem)
    }
    forecasting.refresh()
  }

  function put(history: History): void {
    set({ history, plan: history.plan })
    saving.soon()
    forecasting.refresh()
  }

  /** Does what may fail, and says so when it does. */
  async function telling(work: () => Promise<void>): Promise<void> {
    try {
      await work()
    } catch (error) {
      notify((error as Error).message)
    }
  }

  return {
    ...NO_PLAN,
    detail: null,
    plans: null,
    reading: null,
    ready: false,
    judged: '',
    error: null,

    async prepare(detail, chosen) {
      const judged = JSON.stringify([detail.id, detail.frames, chosen])
      const now = get()
      if (judged === now.judged && (now.ready || now.reading !== null)) return
      set({ judged, ready: false, error: null, reading: 0, forecast: null })
      const isCurrent = () => get().judged === judged
      try {
        const onProgress = proxy((share: number) => isCurrent() && set({ reading: share }))
        await theDesk().open(detail, chosen, onProgress)
        if (!isCurrent()) return
        set({ ready: true, reading: null })
        forecasting.refresh()
      } catch (error) {
        if (isCurrent()) set({ error: (error as Error).message, reading: null })
      }
    },

    async load(detail, wanted) {
      if (get().detail?.id !== detail.id) set({ ...NO_PLAN, detail, plans: null })
      try {
        const plans = await plansApi.list(detail.id)
        if (get().detail?.id !== detail.id) return
        set({ plans })
        const open =
          plans.find(({ id }) => id === wanted) ?? plans.find(({ take }) => take === detail.id) ?? plans[0]
        if (get().id === null && open !== undefined) await get().open(open.id)
      } catch (error) {
        set({ error: (error as Error).message })
      }
    },

    async open(id) {
      await saving.flush()
      await telling(async () => show(id === null ? null : await plansApi.get(id)))
    },

    async begin(sent) {
      const { detail, plans } = get()
      if (detail === null) return
      await saving.flush()
      const number = (plans?.length ?? 0) + 1
      await telling(async () => {
        show(await plansApi.create(detail.id, sent ?? planToJson(emptyPlan(`plan ${number}`))))
        await relist()
      })
    },

    async remove() {
      const { id, plan } = get()
      if (id === null) return
      await saving.flush()
      await telling(async () => {
        await plansApi.remove(id)
        show(null)
        await relist()
        const restore = async () => {
          show(await plansApi.restore(id))
          await relist()
        }
        notify(`“${plan?.name ?? 'The plan'}” is deleted.`, { label: 'Undo', run: () => void restore() })
      })
    },

    change(change, step = '') {
      const { history } = get()
      if (history !== null) put(changed(history, change, step, performance.now()))
    },

    changeItem(id, change, step = '') {
      const { plan } = get()
      if (plan !== null) get().change(withItem(plan, id, change), step === '' ? '' : `${id} ${step}`)
    },

    removeItem(id) {
      const { plan, item } = get()
      if (plan === null) return
      get().change(withoutItem(plan, id))
      if (item === id) set({ item: null })
      notify('The item is removed from the plan.', { label: 'Undo', run: () => get().undo() })
    },

    moveItem(id, to) {
      const { plan } = get()
      const moved = plan === null ? null : movedItem(plan, id, to)
      if (moved !== null) get().change(moved)
    },

    async add(remedy, path, subject) {
      if (get().plan === null) await get().begin()
      const { plan } = get()
      if (plan === null) return
      const item = newItem(remedy, path, subject, crypto.randomUUID())
      get().change({ items: [...plan.items, item] })
      set({ item: item.id })
      void tellIfDroppedBefore(get().detail?.game ?? '', item)
    },

    choose: (item) => set({ item }),

    undo() {
      const { history } = get()
      if (history !== null && history.past.length > 0) put(undone(history))
    },

    redo() {
      const { history } = get()
      if (history !== null && history.future.length > 0) put(redone(history))
    },

    options: async (request) => theDesk().options(request),

    refresh: () => forecasting.refresh(),
  }
})

/** Somebody may have tried the same, and written down why it did not do. */
async function tellIfDroppedBefore(game: string, { remedy, path }: PlanItem): Promise<void> {
  const { items } = await gamesApi.tried(game, '').catch(() => ({ items: [] }))
  const before = items.find(
    (one) => one.state === 'dropped' && one.remedy === remedy && one.path.join('\n') === path.join('\n'),
  )
  if (before === undefined) return
  const why = before.reason === '' ? 'no reason was given' : before.reason
  notify(`This was dropped before, in ${before.planName || 'another plan'}: ${why}.`)
}
