export * from './likeness.ts'
export * from './proof.ts'
export * from './trial.ts'
