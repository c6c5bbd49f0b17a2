/**
 * What one take may ask of its readers, written here once: the format check, the probe, the server, imports and
 * the command line go by it. Whatever keeps within can be stored: docs/decisions/013 has the reckoning.
 */
export const LIMITS = {
  /** Bytes of one record. A chunk of 65,536 spans takes about 1 MB. */
  recordBytes: 32 * 1024 * 1024,
  /** Nesting of CBOR items inside one record. */
  itemDepth: 16,
  /** Frames in one chunk. */
  chunkFrames: 65_536,
  /** Spans in one chunk, over all lanes. The probe hands over at most 65,536 of a lane. */
  chunkSpans: 262_144,
  /** Values in one chunk: those of gauges, watches, lives and updaters together. */
  chunkSamples: 262_144,
  /** Columns of frames that are not known here. */
  otherColumns: 32,
  /** Nesting of spans. */
  spanDepth: 255,
  /** UTF-16 code units of a name. */
  nameLength: 200,
  /** Markers a take may declare: more means that names are made per entity. */
  markers: 16_384,
  lanes: 256,
  gauges: 1_024,
  /** Variants of one trial. */
  variants: 16,
  /** Watched values a take may declare, or one marker may name. */
  watches: 1_024,
  /** Classes of instances a take may declare. */
  classes: 1_024,
  /** Tags of one marker. */
  tags: 16,
  /** UTF-16 code units of the path of a source file. */
  fileLength: 1_000,
  /** Lines of source kept around one marker, and UTF-16 code units of each. */
  sourceLines: 15,
  sourceWidth: 200,
  /** Distinct chains of markers in one take. */
  paths: 65_536,
  /** Moments in one chunk. */
  chunkMoments: 65_536,
  /** Pictures in one chunk; bytes, pixels of the width and of the height of each. */
  chunkPictures: 64,
  pictureBytes: 49_152,
  pictureWidth: 320,
  pictureHeight: 4_096,
  /** UTF-8 bytes of the JSON of a moment's data, or of the conditions under `more`. */
  dataBytes: 16_384,
  /** Kinds of wrong calls that one record tells of. */
  problems: 64,
  /** Job events in one chunk. */
  chunkJobs: 65_536,
  /** A time or a duration, ns: 104 days; also bytes of a run or of instances. */
  largestWhole: Number.MAX_SAFE_INTEGER,
  /** Frames of a take. */
  frames: 2_147_483_647,
  /** Years in which a take can have been made. */
  firstYear: 1970,
  lastYear: 9999,
} as const
