export * from './courses.ts'
export * from './cover.ts'
export * from './ledger.ts'
export * from './rollup.ts'
