export * from './cause.ts'
export * from './figures.ts'
