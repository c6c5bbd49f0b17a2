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
} from '@lapsus/core/remedy'
import type { RemedyKind } from '@lapsus/core/detect'
import { proxy } from 'comlink'
import { create } from 'zustand'
import { api, RequestError } from '../api/client.ts'
import type { DeskForecast, Judged, OptionsRequest } from '../plan/desk.ts'
import { theDesk } from '../plan/desk-client.ts'
import { useBudgets } from './budgets.ts'
import { notify } from './notices.ts'

export interface PlanState {
  /** The take that is planned on. */
  detail: TakeDetail | null
  /** Plans of its game, last changed first; null until they are known. */
  plans: PlanSummary[] | null
  /** The one that is open; null for none. */
  id: string | null
  plan: Plan | null
  past: Plan[]
  future: Plan[]
  /** The item that is looked at; null for none. */
  item: string | null
  /** Share of the take that has been read, 0 to 1; null while nothing is read. */
  reading: number | null
  /** Whether the take is read and judged. */
  ready: boolean
  error: string | null
  forecast: DeskForecast | null
  /** The two that matter most are told where the plan is looked at; null until they are known. */
  sensitivity: Sensitivity[] | null

  /** Makes a take ready to be planned on. */
  prepare(detail: TakeDetail, judged: Judged): Promise<void>
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
export const weightiest = (sensitivity: readonly Sensitivity[] | null): Sensitivity[] =>
  (sensitivity ?? []).filter(({ swingMs }) => swingMs >= LEAST_SWING_MS).slice(0, 2)

const MOST_PAST = 100
/** Changes of one step within this time are one, ms. */
const TOGETHER_MS = 1_200
const SAVE_AFTER_MS = 500
const SENSITIVITY_AFTER_MS = 700

let revision = 0
let lastStep = { name: '', atMs: 0 }
let saving: ReturnType<typeof setTimeout> | undefined
/** Settles when everything has been written. */
let writes = Promise.resolve()
let asking: ReturnType<typeof setTimeout> | undefined
let judgedKey = ''
/** One forecast is under way at a time; what changes meanwhile asks for one more. */
let busy = false
let again = false

export const usePlan = create<PlanState>()((set, get) => {
  const show = (stored: StoredPlan | null) => {
    revision = stored?.revision ?? 0
    lastStep = { name: '', atMs: 0 }
    set({
      id: stored?.id ?? null,
      plan: stored?.plan ?? null,
      past: [],
      future: [],
      item: stored?.plan.items[0]?.id ?? null,
      forecast: null,
      sensitivity: null,
    })
    for (const problem of stored?.problems ?? []) notify(problem)
    void work()
  }

  const relist = async () => {
    const { detail } = get()
    if (detail !== null) set({ plans: await api.plans(detail.id) })
  }

  const write = async (id: string, plan: Plan) => {
    try {
      revision = (await api.changePlan(id, revision, plan)).revision
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

  /** Writes what has not been written yet, one after the other. */
  const flush = (): Promise<void> => {
    const { id, plan } = get()
    if (saving !== undefined && id !== null && plan !== null) writes = writes.then(() => write(id, plan))
    clearTimeout(saving)
    saving = undefined
    return writes
  }
  // A page that is left keeps what was changed last.
  globalThis.addEventListener?.('pagehide', () => void flush())

  const saveSoon = () => {
    clearTimeout(saving)
    saving = setTimeout(() => void flush(), SAVE_AFTER_MS)
  }

  /** Forecasts the plan as it is now. */
  async function work(): Promise<void> {
    if (busy) {
      again = true
      return
    }
    busy = true
    try {
      do {
        again = false
        const { plan, ready } = get()
        if (!ready || plan === null) return
        const forecast = await theDesk().forecast(plan, useBudgets.getState().groups)
        if (get().plan !== null) set({ forecast, error: null })
      } while (again)
      askSensitivity()
    } catch (error) {
      set({ error: (error as Error).message })
    } finally {
      busy = false
    }
  }

  function askSensitivity(): void {
    clearTimeout(asking)
    asking = setTimeout(async () => {
      const { plan, ready } = get()
      if (plan === null || !ready) return
      const sensitivity = await theDesk().sensitivity(plan)
      if (get().plan === plan) set({ sensitivity })
    }, SENSITIVITY_AFTER_MS)
  }

  const put = (plan: Plan, history: Pick<PlanState, 'past' | 'future'>) => {
    set({ plan, ...history })
    saveSoon()
    void work()
  }

  return {
    detail: null,
    plans: null,
    id: null,
    plan: null,
    past: [],
    future: [],
    item: null,
    reading: null,
    ready: false,
    error: null,
    forecast: null,
    sensitivity: null,

    async prepare(detail, judged) {
      const key = `${detail.id} ${detail.frames} ${judged.target} ${judged.withoutRecorder}`
      if (key === judgedKey && (get().ready || get().reading !== null)) return
      judgedKey = key
      set({ ready: false, error: null, reading: 0, forecast: null })
      try {
        await theDesk().open(
          detail,
          judged,
          proxy((share) => judgedKey === key && set({ reading: share })),
        )
        if (judgedKey !== key) return
        set({ ready: true, reading: null })
        void work()
      } catch (error) {
        if (judgedKey === key) set({ error: (error as Error).message, reading: null })
      }
    },

    async load(detail, wanted) {
      if (get().detail?.id !== detail.id)
        set({ detail, plans: null, id: null, plan: null, forecast: null, past: [], future: [] })
      try {
        const plans = await api.plans(detail.id)
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
      await flush()
      try {
        show(id === null ? null : await api.plan(id))
      } catch (error) {
        notify((error as Error).message)
      }
    },

    async begin(sent) {
      const { detail, plans } = get()
      if (detail === null) return
      await flush()
      try {
        const number = (plans?.length ?? 0) + 1
        show(await api.createPlan(detail.id, sent ?? planToJson(emptyPlan(`plan ${number}`))))
        await relist()
      } catch (error) {
        notify((error as Error).message)
      }
    },

    async remove() {
      const { id, plan } = get()
      if (id === null) return
      await flush()
      try {
        await api.deletePlan(id)
        show(null)
        await relist()
        const restore = async () => {
          show(await api.restorePlan(id))
          await relist()
        }
        notify(`“${plan?.name ?? 'The plan'}” is deleted.`, { label: 'Undo', run: () => void restore() })
      } catch (error) {
        notify((error as Error).message)
      }
    },

    change(change, step = '') {
      const { plan, past } = get()
      if (plan === null) return
      const nowMs = performance.now()
      const isSame = step !== '' && step === lastStep.name && nowMs - lastStep.atMs < TOGETHER_MS
      lastStep = { name: step, atMs: nowMs }
      put({ ...plan, ...change }, { past: isSame ? past : [...past, plan].slice(-MOST_PAST), future: [] })
    },

    changeItem(id, change, step = '') {
      const { plan } = get()
      const items = plan?.items.map((item) => (item.id === id ? { ...item, ...change } : item))
      if (items !== undefined) get().change({ items }, step === '' ? '' : `${id} ${step}`)
    },

    removeItem(id) {
      const { plan, item } = get()
      if (plan === null) return
      get().change({ items: plan.items.filter((one) => one.id !== id) })
      if (item === id) set({ item: null })
      notify('The item is removed from the plan.', { label: 'Undo', run: () => get().undo() })
    },

    moveItem(id, to) {
      const { plan } = get()
      const moved = plan?.items.find((item) => item.id === id)
      if (plan === null || moved === undefined) return
      const others = plan.items.filter((item) => item.id !== id)
      const place = Math.min(others.length, Math.max(0, to))
      get().change({ items: [...others.slice(0, place), moved, ...others.slice(place)] })
    },

    async add(remedy, path, subject) {
      if (get().plan === null) await get().begin()
      const { plan } = get()
      if (plan === null) return
      const item = newItem(remedy, path, subject, crypto.randomUUID())
      get().change({ items: [...plan.items, item] })
      set({ item: item.id })
    },

    choose: (item) => set({ item }),

    undo() {
      const { plan, past, future } = get()
      const before = past.at(-1)
      if (plan === null || before === undefined) return
      lastStep = { name: '', atMs: 0 }
      put(before, { past: past.slice(0, -1), future: [plan, ...future] })
    },

    redo() {
      const { plan, past, future } = get()
      const [next, ...rest] = future
      if (plan === null || next === undefined) return
      put(next, { past: [...past, plan], future: rest })
    },

    options: async (request) => theDesk().options(request),

    refresh: () => void work(),
  }
})
