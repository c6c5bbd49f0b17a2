/** What groups of the game may spend on the take's device. */
import { plansApi } from '../api/plans.ts'
import type { GroupBudgets } from '@lapsus/api'
import { create } from 'zustand'
import { notify } from './notices.ts'

interface BudgetsState {
  takeId: string | null
  /** The device that the budgets are for; empty for any. */
  setFor: string
  /** The device that the take was recorded on; empty where it is not told. */
  device: string
  /** ms a frame by group. */
  groups: Record<string, number>
  load(takeId: string): Promise<void>
  save(takeId: string, budgets: GroupBudgets): Promise<void>
}

export const useBudgets = create<BudgetsState>()((set, get) => ({
  takeId: null,
  setFor: '',
  device: '',
  groups: {},
  async load(takeId) {
    if (get().takeId !== takeId) set({ takeId, groups: {}, device: '', setFor: '' })
    try {
      const { budgets, device } = await plansApi.budgets(takeId)
      if (get().takeId === takeId) set({ setFor: budgets.device, groups: budgets.groups, device })
    } catch (error) {
      notify((error as Error).message)
    }
  },
  async save(takeId, budgets) {
    try {
      const { budgets: now, device } = await plansApi.setBudgets(takeId, budgets)
      set({ setFor: now.device, groups: now.groups, device })
    } catch (error) {
      notify((error as Error).message)
    }
  },
}))
