/** Checks of plans and budgets. Failures name the field. */
import { asFields, bad, finite, list, text, texts, whole, type Fields } from '@lapsus/core/format'
import { planFromJson, planToJson, type Plan } from '@lapsus/core/remedy'
import { freeText, MOST } from './field-checks.ts'
import type { BudgetsResponse, PlanSummary, StoredPlan, Tried } from './types.ts'

function summary(fields: Fields): void {
  text(fields, 'id')
  freeText(fields, 'name')
  freeText(fields, 'changed')
  whole(fields, 'items', 0, MOST)
}

export function checkPlans(value: unknown): PlanSummary[] {
  if (!Array.isArray(value)) throw bad('plans', 'an array', value)
  for (const plan of value) summary(asFields(plan, 'plan'))
  return value as PlanSummary[]
}

export function checkPlan(value: unknown): StoredPlan {
  const fields = asFields(value, 'plan')
  summary(fields)
  whole(fields, 'revision', 1, MOST)
  const { plan } = planFromJson(planToJson(fields['plan'] as Plan))
  return { ...(fields as unknown as StoredPlan), plan }
}

export function checkBudgets(value: unknown): BudgetsResponse {
  const fields = asFields(value, 'budgets')
  freeText(fields, 'device')
  const budgets = asFields(fields['budgets'], 'budgets')
  const groups = asFields(budgets['groups'], 'groups')
  for (const group of Object.keys(groups)) finite(groups, group, 0)
  return value as BudgetsResponse
}

export function checkTried(value: unknown): Tried {
  const fields = asFields(value, 'tried')
  for (const item of list(fields, 'items', MOST)) {
    for (const field of ['plan', 'remedy', 'words', 'state', 'changed']) text(item, field)
    for (const field of ['planName', 'subject', 'reason', 'note', 'who']) freeText(item, field)
    for (const field of ['path', 'proof']) texts(item, field, MOST)
  }
  for (const comparison of list(fields, 'comparisons', MOST)) {
    for (const field of ['id', 'sentence', 'at']) text(comparison, field)
    for (const field of ['before', 'after']) texts(comparison, field, MOST)
  }
  return value as Tried
}
