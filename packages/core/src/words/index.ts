export * from './cause.ts'
export * from './numbers.ts'
export * from './sentence.ts'
export * from './table.ts'
