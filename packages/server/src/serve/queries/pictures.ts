import type { TakePicture } from '@lapsus/api'
import type { Store } from '../../store/store.ts'

/** The pictures of a take, in order of time; each by the name under which it is had. */
export async function listPictures(store: Store, takeId: string): Promise<TakePicture[]> {
  const rows = await store.pictures.findAll({
    attributes: ['idx', 'position', 'atNs', 'width', 'height'],
    where: { takeId },
    order: [['atNs', 'ASC']],
    raw: true,
  })
  return rows.map(({ idx, position, atNs, width, height }) => ({
    ...{ name: `${idx}-${position}`, atNs, width, height },
  }))
}

/** Null where there is none of that name. */
export async function pictureOf(
  store: Store,
  takeId: string,
  name: string,
): Promise<{ type: string; bytes: Buffer } | null> {
  const found = /^(\d{1,9})-(\d{1,3})$/.exec(name)
  if (found === null) return null
  const [idx, position] = [Number(found[1]), Number(found[2])]
  return store.pictures.findOne({
    where: { takeId, idx, position },
    attributes: ['type', 'bytes'],
    raw: true,
  })
}
