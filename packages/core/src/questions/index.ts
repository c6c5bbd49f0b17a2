export * from './question.ts'
export * from './shape.ts'
export * from './takes-question.ts'
