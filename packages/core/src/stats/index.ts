export * from './percentile.ts'
export * from './sketch.ts'
