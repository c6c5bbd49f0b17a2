/** Every table and its columns. What the migrations make is compared with this in a test. */
import {
  big,
  bigKey,
  bigOrNone,
  bytes,
  bytesOrNone,
  counted,
  double,
  integer,
  integerKey,
  integerOrNone,
  longText,
  longTextOrNone,
  mediumText,
  numbered,
  small,
  smallKey,
  sum,
  text,
  textKey,
  textOrNone,
  time,
  timeOrNone,
  truth,
} from './columns.ts'

const takeId = () => textKey(64)

export const TABLES = {
  games: { id: numbered(), name: text(200) },

  takes: {
    id: takeId(),
    gameId: integer(),
    name: text(200),
    note: longText(),
    /** JSON: an array of texts; null for none. */
    tags: longTextOrNone(),
    /** JSON: what somebody who watches wishes of the game (OrderMessage); null for nothing. */
    wish: longTextOrNone(),
    state: text(20),
    started: time(),
    target: double(),
    /** JSON. */
    conditions: longText(),
    frames: sum(),
    spans: sum(),
    chunks: sum(),
    endNs: sum(),
    lastFrameStartNs: bigOrNone(),
    lastSequence: sum(),
    dropped: sum(),
    repaired: sum(),
    storedBytes: sum(),
    /** JSON. */
    figures: longTextOrNone(),
    /** JSON. */
    miniature: longTextOrNone(),
    touchedAt: time(),
    deletedAt: timeOrNone(),
    /** The recorder that writes it (TakeRecord.writer); null where it did not say. */
    writer: textOrNone(64),
    /** The take under whose identity a second recorder wrote this one; null for most. */
    twinOf: textOrNone(64),
    /** The take that this one goes on with, where a server had less of it than it had acknowledged; null for most. */
    continues: textOrNone(64),
    /** The chain after the last record (core/format/crc32); null where records did not come as they were sent. */
    chain: bigOrNone(),
    /** Records that could not be stored and were set aside. */
    setAside: sum(),
    /** How often lines of source were put in after its end. */
    placings: counted(),
  },

  markers: {
    takeId: takeId(),
    id: integerKey(),
    name: text(200),
    markerGroup: text(200),
    groupId: integer(),
    kind: text(20),
    /** JSON: an array of texts; null for none. */
    tags: longTextOrNone(),
    /** JSON: an array of watch numbers; null for none. */
    watches: longTextOrNone(),
    /** JSON (Place): where in the code; null where that is not known. */
    place: longTextOrNone(),
  },
  lanes: { takeId: takeId(), id: integerKey(), name: text(200) },
  gauges: {
    takeId: takeId(),
    id: integerKey(),
    name: text(200),
    unit: text(200),
    /** JSON: an array of texts; null for none. */
    variants: longTextOrNone(),
  },
  watches: { takeId: takeId(), id: integerKey(), name: text(200) },
  classes: { takeId: takeId(), id: integerKey(), name: text(200), marker: integerOrNone() },
  paths: { takeId: takeId(), id: integerKey(), parent: integer(), lane: small(), marker: integer() },

  chunks: {
    takeId: takeId(),
    idx: integerKey(),
    sequence: big(),
    firstFrame: integer(),
    frames: integer(),
    spans: integer(),
    dropped: big(),
    repaired: big(),
    /** CBOR, see core/take/frames-codec. */
    frameColumns: bytes(),
    /** Deflated, see core/take/pack. */
    spanColumns: bytes(),
    /** Deflated, see core/rollup/courses. */
    courses: bytes(),
    /** CBOR, see core/take/samples. */
    samples: bytes(),
    /** Deflated, see core/take/details; null where runs say nothing about themselves. */
    details: bytesOrNone(),
    /** Deflated, see core/rollup/course-details; null like `details`. */
    courseDetails: bytesOrNone(),
    /** JSON (chunk-proof.ts); null for what earlier versions stored. */
    proof: longTextOrNone(),
  },
  /** `body`: deflated, see core/rollup/rollup-codec; `crc` of it. */
  rollups: { takeId: takeId(), level: smallKey(), idx: integerKey(), body: bytes(), crc: bigOrNone() },

  moments: {
    takeId: takeId(),
    idx: integerKey(),
    /** Within its chunk. */
    position: integerKey(),
    frame: integer(),
    atNs: double(),
    name: text(200),
    /** JSON. */
    data: longTextOrNone(),
  },
  pictures: {
    takeId: takeId(),
    idx: integerKey(),
    /** Within its chunk. */
    position: integerKey(),
    atNs: double(),
    /** Of the bytes, such as `image/webp`. */
    type: text(20),
    width: integer(),
    height: integer(),
    bytes: bytes(),
  },
  /** A stretch of a play-through that was kept for a cause; lasts to the next one's first frame. */
  stretches: {
    takeId: takeId(),
    /** Number of the chunk that begins it. */
    idx: integerKey(),
    firstFrame: integer(),
    cause: text(200),
    at: time(),
  },

  /** What is wrong with a whole take, at its own target and as recorded. */
  diagnoses: {
    takeId: takeId(),
    /** Of the question that found it. */
    version: integer(),
    /** Deflated JSON. */
    body: bytes(),
  },
  takeSums: {
    takeId: takeId(),
    /** Of what sums it up (core/history). */
    version: integer(),
    /** Deflated JSON. */
    body: bytes(),
  },
  /** Comparisons that somebody kept. */
  comparisons: {
    id: textKey(64),
    gameId: integer(),
    /** JSON: arrays of identities. */
    beforeTakes: longText(),
    afterTakes: longText(),
    sentence: longText(),
    at: time(),
  },
  /** What people think of a finding, in all takes of a game. */
  findingMarks: {
    gameId: integerKey(),
    /** SHA-256 of `finding`, hexadecimal. */
    findingHash: textKey(64),
    finding: longText(),
    mark: text(20),
    reason: longText(),
    at: time(),
  },

  plans: {
    id: textKey(64),
    gameId: integer(),
    /** The take it was made from; null when that is gone. */
    takeId: textOrNone(64),
    /** Raised with every change. */
    revision: integer(),
    /** JSON, see core/remedy/plan. */
    body: mediumText(),
    /** Of what is in it: its name, and its items that are not dropped. */
    name: text(200),
    items: integer(),
    changedAt: time(),
    deletedAt: timeOrNone(),
  },
  /** What groups of a game may spend on a device. */
  budgets: {
    gameId: integerKey(),
    /** Empty for any device that has none of its own. */
    device: textKey(200),
    /** JSON: ms by name of the group. */
    body: longText(),
  },

  /** A record that could not be stored. Its bytes are kept once it is set aside. */
  refusedRecords: {
    takeId: takeId(),
    sequence: bigKey(),
    tries: integer(),
    reason: text(600),
    bytes: integer(),
    at: time(),
    setAside: truth(),
  },
  refusedParts: { takeId: takeId(), sequence: bigKey(), part: integerKey(), body: bytes() },
  /** Calls that a take's recorder had to repair or leave out (ProblemCount). */
  problems: { takeId: takeId(), what: textKey(200), about: textKey(200), count: big() },

  /** Service instances that send OpenTelemetry traces; the key is the SHA-256 of service and instance, hexadecimal. */
  traceStreams: {
    instanceHash: textKey(64),
    service: longText(),
    takeId: text(64),
    lastAt: time(),
    /** When somebody ended the recording, though the game goes on. */
    stoppedAt: timeOrNone(),
  },
  /** What has arrived of them, until their takes end. */
  traceParts: {
    id: numbered(),
    instanceHash: text(64),
    /** From 1, in the order in which they are put together; null: not yet. */
    position: integerOrNone(),
    /** Deflated spans, as V8 serializes them; null: nothing came for a while. */
    body: bytesOrNone(),
  },

  /** Of the demo game, whichever server has started it. */
  recordings: {
    id: textKey(64),
    takeId: text(64),
    state: text(16),
    seconds: integer(),
    askedAt: time(),
    startedAt: timeOrNone(),
    endedAt: timeOrNone(),
    /** When its server told of it last. */
    touchedAt: time(),
    stopWished: truth(),
    message: longText(),
  },

  /** Somebody who is signed in; the key is the SHA-256 of what the cookie holds, hexadecimal. */
  sessions: {
    tokenHash: textKey(64),
    /** Of the password that began it (access/access.ts). */
    passwordMark: text(64),
    until: time(),
    began: time(),
    seenAt: time(),
    address: text(64),
    agent: text(200),
  },
  /** A browser that has signed in before. */
  devices: { tokenHash: textKey(64), passwordMark: text(64), until: time() },
  /** Passwords that were tried, by where they came from (access/tries.ts). */
  signInTries: { who: textKey(80), tries: integer(), at: time(), nextAt: time(), rightAt: timeOrNone() },
  /** Random texts that every server of this database shares. */
  secrets: { name: textKey(64), value: text(200) },
} as const
