export * from './declarations.ts'
export * from './digest.ts'
export {
  concatFrames,
  cutFrames,
  picked,
  pickFrames,
  emptyFrames,
  WAIT_REASONS,
  type FrameColumns,
  type WaitReason,
} from './frame-columns.ts'
export * from './frames-codec.ts'
export * from './frames.ts'
export * from './pack.ts'
export * from './paths.ts'
export * from './spans.ts'
export * from './source-around.ts'
export * from './strip-columns.ts'
export * from './varint.ts'
export * from './details.ts'
export * from './pair-jobs.ts'
export * from './samples.ts'
export * from './recorder.ts'
export * from './cut-chunk.ts'
