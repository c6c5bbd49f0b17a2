export * from './check.ts'
export * from './types.ts'
