export * from './cause.ts'
export * from './numbers.ts'
