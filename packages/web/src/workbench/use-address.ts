import { useEffect, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { worstFrame } from '@lapsus/core/take'
import type { OpenTake } from '../state/take.ts'
import { useView, viewFromParams, viewToParams, type View } from '../state/view.ts'

/** Browsers slow down pages that change their address all the time. */
const REST_MS = 250

/**
 * Keeps view and address in step: the address sets the view at first, the view writes the address. What is
 * live names no frame: it is another in a moment.
 * @returns whether the address of this take has been read: before, the view is that of another
 */
export function useAddress(take: OpenTake | null, isLive: boolean): boolean {
  const [params] = useSearchParams()
  const navigate = useNavigate()

  const takeId = take?.detail.id
  const [readId, setReadId] = useState<string | null>(null)

  useEffect(() => {
    if (take === null) return
    const frames = take.frames.startNs.length
    const worst = frames === 0 ? 0 : worstFrame(take.frames, 0, frames)
    useView.setState(viewFromParams(params, frames, take.paths.all.length, worst))
    setReadId(take.detail.id)
    // Only the address that a take is opened with counts; later ones are written here.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [takeId])

  useEffect(() => {
    if (takeId === undefined) return
    let timer: ReturnType<typeof setTimeout> | undefined
    const write = (view: View) => {
      clearTimeout(timer)
      const search = isLive ? '' : viewToParams(view).toString()
      timer = setTimeout(() => void navigate({ search }, { replace: true }), REST_MS)
    }
    write(useView.getState())
    const stop = useView.subscribe(write)
    return () => {
      clearTimeout(timer)
      stop()
    }
  }, [takeId, isLive, navigate])

  return takeId !== undefined && readId === takeId
}
