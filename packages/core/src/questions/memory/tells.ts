import {
  anyNumber,
  column,
  list,
  number,
  object,
  oneOf,
  orNone,
  rows,
  sameLength,
  text,
  truth,
  whole,
  type Told,
} from '../shape.ts'

const pathId = whole('number of the path')
const growth = object(
  {
    perSecond: number('Theil and Sen’s slope', 'a second'),
    chance: number('two-sided, of Mann and Kendall’s test'),
    now: anyNumber('at the end'),
  },
  'how it grows',
)

export const COLLECTION = {
  kind: text('the marker’s name, such as `collection (minor)`'),
  count: whole('collections'),
  perMinute: number('collections', 'a minute'),
  totalMs: number('all pauses', 'ms'),
  medianMs: number('pause', 'ms'),
  worstMs: number('pause', 'ms'),
  worstFrame: whole('with the longest pause'),
  everyMs: orNone(number('median time from one to the next; null for fewer than two', 'ms')),
  blame: rows(
    { pathId, path: list(text(''), 'names of its markers'), share: number('of the bytes, 0 to 1') },
    'who allocated what was collected, most first; empty where bytes are not recorded',
  ),
}
export type CollectionReport = Told<typeof COLLECTION>

const ALLOCATOR = {
  path: pathId,
  bytes: number('known, over all frames', 'bytes'),
  share: number('of the frames in which it allocates, 0 to 1'),
  steady: truth('in nearly every frame'),
  worstFrame: whole('in which it allocates most'),
}

const CLASS_FIGURES = {
  class: whole('its id'),
  name: text(''),
  relative: truth('`alive` counts from an unknown number at the take’s start'),
  born: number('over all frames'),
  died: number('over all frames'),
  bytes: number('of those born, as far as the game says', 'bytes'),
  least: anyNumber('alive'),
  most: anyNumber('alive'),
  now: anyNumber('alive at the end'),
  bornPerSecond: number('', 'a second'),
  diedPerSecond: number('', 'a second'),
  growth: orNone(growth),
  alive: column('by frame'),
}

export const MEMORY_TELLS = {
  heap: orNone(column('at the end of each frame; null where no gauge tells', 'bytes')),
  allocated: column('in each frame; NaN where not known', 'bytes'),
  allocatedFrom: oneOf(['bytes', 'heap', 'nothing'], 'measured, or from the heap’s rises'),
  bytesPerSecond: number('allocated', 'bytes a second'),
  kinds: rows(COLLECTION, 'of collections, the one that pauses longest first'),
  collections: rows(
    {
      frame: whole(''),
      kind: text(''),
      pauseMs: number('', 'ms'),
      blame: rows({ pathId, share: number('of the bytes, 0 to 1') }, 'most first'),
    },
    'in order of frames',
  ),
  allocators: rows(ALLOCATOR, 'most bytes first'),
  classes: rows(CLASS_FIGURES, 'of instances'),
  growing: rows({ gauge: whole('its id'), name: text(''), unit: text(''), growth }, 'gauges that only grow'),
  nextCollectionMs: orNone(number('until the next collection at the present rate', 'ms')),
  limitBytes: orNone(number('the device’s memory, if the conditions give it', 'bytes')),
  limitInS: orNone(
    number('until what stays on the heap after collections reaches it; null where that does not grow', 's'),
  ),
}

export function verifyMemory({ heap, allocated, classes }: Told<typeof MEMORY_TELLS>): void {
  sameLength('heap', allocated, heap)
  for (const { alive } of classes) sameLength('alive', allocated, alive)
}
