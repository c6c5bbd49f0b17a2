import { Copy } from 'lucide-react'
import { useEffect, type ReactNode } from 'react'
import { useSearchParams } from 'react-router'
import { usePasswordNeeded } from '../access/use-password-needed.ts'
import { Choice } from '../components/choice.tsx'
import { Hint } from '../components/hint.tsx'
import { ThemeButton } from '../shell/theme-button.tsx'
import { ToLibrary } from '../shell/to-library.tsx'
import { watchForOwn } from '../state/own-recording.ts'
import { copyText } from '../state/take-away.ts'
import { Arriving } from './arriving.tsx'
import { LANGUAGE_NAMES, languagesFor, type LanguageName } from './languages.ts'

/** From nothing to the findings of an own game. The address names the language. */
export function RecordPage() {
  const [params, setParams] = useSearchParams()
  const name = LANGUAGE_NAMES.find((one) => one === params.get('language')) ?? 'node'
  const languages = languagesFor(location.origin)
  const { get, file, code, run, note } = languages[name]
  const asksForKey = usePasswordNeeded()
  useEffect(() => {
    document.title = 'Record your own game – Lapsus'
    return watchForOwn()
  }, [])
  const words = Object.fromEntries(LANGUAGE_NAMES.map((one) => [one, languages[one].name])) as Record<
    LanguageName,
    string
  >
  return (
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <header className="flex h-12 items-center gap-3 border-b border-line px-3">
        <ToLibrary />
        <h1 className="font-serif text-lg font-semibold whitespace-nowrap">Record your own game</h1>
        <Choice
          label="Language"
          values={LANGUAGE_NAMES}
          words={words}
          value={name}
          onChange={(next) => setParams({ language: next }, { replace: true })}
        />
        <span className="grow" />
        <ThemeButton />
      </header>
      <div className="grid min-h-0 grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)]">
        <ol className="min-h-0 space-y-4 overflow-auto border-r border-line px-5 py-4">
          {get !== '' && (
            <Step title="In the folder of your game, get what records it">
              <Lines text={get} label="the command that gets it" testId="step-get" />
            </Step>
          )}
          <Step title={`Put markers around what you care about, as in this small game: ${file}`}>
            <Lines text={code} label={file} testId="step-code" />
          </Step>
          <Step
            title={name === 'page' ? 'Serve the folder, and open http://127.0.0.1:8000/game.html' : 'Play'}
          >
            <Lines text={run} label="the command that plays" testId="step-run" />
          </Step>
          <li className="list-none text-xs text-faint">
            {note !== undefined && <p className="mb-1">{note}</p>}
            {asksForKey && (
              <p className="mb-1">
                This Lapsus asks for a key: set <code>LAPSUS_KEY</code> where the game is played, or give it
                as `key`.
              </p>
            )}
            All calls are in docs/instrumenting.md; other languages send JSON lines, see docs/format.md.
          </li>
        </ol>
        <Arriving />
      </div>
    </div>
  )
}

function Step({ title, children }: { title: string; children: ReactNode }) {
  return (
    <li className="ml-4 list-decimal marker:text-faint">
      <p className="mb-1">{title}</p>
      {children}
    </li>
  )
}

/** Lines to copy. */
function Lines({ text, label, testId }: { text: string; label: string; testId: string }) {
  return (
    <div className="relative">
      <pre
        data-testid={testId}
        tabIndex={0}
        aria-label={label}
        className="overflow-x-auto rounded border border-line bg-leaf px-3 py-2 pr-10 font-mono text-xs leading-snug"
      >
        {text}
      </pre>
      <Hint text={`Copy: ${label}`}>
        <button
          type="button"
          aria-label={`Copy: ${label}`}
          className="absolute top-1.5 right-1.5 rounded bg-leaf p-1 text-faint hover:text-ink"
          onClick={() => void copyText(text, `${label[0]!.toUpperCase()}${label.slice(1)} is`)}
        >
          <Copy size={14} />
        </button>
      </Hint>
    </div>
  )
}
