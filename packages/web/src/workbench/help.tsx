import { Window } from '../components/window.tsx'
import { SHORTCUTS } from './use-shortcuts.ts'

const WORDS: [string, string][] = [
  [
    'strip',
    'all frames, hanging from the top; dark is the median of a column, lighter its worst, pale is waiting',
  ],
  ['ring on the strip', 'a spike that the machine made, not the game'],
  ['short line on the strip', 'the machine was slower there, where it lies higher, or faster, where lower'],
  ['floor', 'the frame budget; what falls through it is over budget'],
  ['page', 'one frame, read from top to bottom; darker blocks have more self time; teeth mark gathered runs'],
  ['ledger', 'where the time of the chosen frames went'],
  ['over', 'the frame’s own work exceeds the budget'],
  ['held', 'the frame is late though its work fits: it waited'],
]

export function Help({ open, onOpenChange }: { open: boolean; onOpenChange(open: boolean): void }) {
  return (
    <Window
      title="Keys and words"
      about="The wheel zooms the strip and scrolls the page; with Ctrl it zooms the page."
      open={open}
      onOpenChange={onOpenChange}
    >
      <dl className="grid grid-cols-[8rem_1fr] gap-y-1">
        {SHORTCUTS.map(({ keys, does }) => (
          <div key={keys} className="contents">
            <dt>
              <kbd className="rounded border border-line bg-paper px-1.5 font-sans text-xs">{keys}</kbd>
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
      <dl className="mt-4 grid grid-cols-[8rem_1fr] gap-y-1 border-t border-line pt-4">
        {WORDS.map(([word, meaning]) => (
          <div key={word} className="contents">
            <dt className="font-serif">{word}</dt>
            <dd className="text-faint">{meaning}</dd>
          </div>
        ))}
      </dl>
    </Window>
  )
}
