import { Play } from 'lucide-react'
import { Button } from '../components/button.tsx'
import { plural } from '@lapsus/core/words'
import { useLive } from '../state/live.ts'

/** Says that the recording goes on while its frames are being read. */
export function FrozenBar({ frames }: { frames: number }) {
  const { totalFrames, trouble, freeze } = useLive()
  return (
    <div className="flex items-center gap-3 border-b border-line bg-pick px-3 py-1" data-testid="frozen">
      <b className="font-serif">Frozen</b>
      <span>
        at {plural(frames, 'frame')}; the recording goes on
        {totalFrames > frames && `, ${plural(totalFrames - frames, 'frame')} more so far`}
        {trouble !== null && `. ${trouble}`}
      </span>
      <span className="grow" />
      <Button onClick={() => freeze(false)} title="Space">
        <Play size={14} /> Live again
      </Button>
    </div>
  )
}
