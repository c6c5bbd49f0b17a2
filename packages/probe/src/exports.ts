/** What both probes, the browser's and Node's, let games use. */
export type { HeapReader } from './heap.ts'
export type { Tripwires } from './keep-last.ts'
export type { LaneProbe } from './lane-link.ts'
export type { ProbeOptions, RecordingOptions } from './options.ts'
export type { ClassId, GaugeId, Probe } from './probe.ts'
export type { Sink } from './sinks/sink.ts'
export type { JobId, MarkerId, MarkerOptions, WatchId } from './span-recorder.ts'
export type { IdleReason, Updater } from './updater.ts'
