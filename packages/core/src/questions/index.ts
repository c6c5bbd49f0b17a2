export * from './question.ts'
export * from './shape.ts'
