export * from './check.ts'
export * from './types.ts'
export * from './check-plans.ts'
export * from './storage-words.ts'
