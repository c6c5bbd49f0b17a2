export * from './budget-file.ts'
export { checkTakes, OUTCOMES, type Checked, type CheckRow, type NamedStudy, type Outcome } from './check.ts'
export * from './told.ts'
export { budgetOfTake } from './write.ts'
