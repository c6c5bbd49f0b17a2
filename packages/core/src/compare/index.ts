export * from './likeness.ts'
export * from './proof.ts'
