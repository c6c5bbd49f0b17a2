export * from './align.ts'
export * from './composite.ts'
