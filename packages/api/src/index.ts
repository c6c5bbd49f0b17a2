export * from './check.ts'
export * from './types.ts'
export * from './check-studied.ts'
export * from './check-plans.ts'
