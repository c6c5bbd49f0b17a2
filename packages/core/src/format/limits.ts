/** What one take may ask of its readers. Anything beyond is refused with `too-large`. */
export const LIMITS = {
  /** Bytes of one record. A chunk of 65,536 spans takes about 1 MB. */
  recordBytes: 32 * 1024 * 1024,
  /** Nesting of CBOR items inside one record. */
  itemDepth: 16,
  /** Frames in one chunk. */
  chunkFrames: 65_536,
  /** Spans in one chunk, over all lanes. */
  chunkSpans: 1_048_576,
  /** Nesting of spans. */
  spanDepth: 255,
  /** UTF-16 code units of a name. */
  nameLength: 200,
  /** Markers a take may declare: more means that names are made per entity. */
  markers: 16_384,
  lanes: 256,
  gauges: 1_024,
  /** Watched values a take may declare. */
  watches: 1_024,
  /** Classes of instances a take may declare. */
  classes: 1_024,
  /** Tags of one marker. */
  tags: 16,
  /** Distinct chains of markers in one take. */
  paths: 65_536,
  /** Moments in one chunk. */
  chunkMoments: 65_536,
  /** Job events in one chunk. */
  chunkJobs: 65_536,
} as const
