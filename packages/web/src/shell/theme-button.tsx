import { Monitor, Moon, Sun } from 'lucide-react'
import { IconButton } from '../components/button.tsx'
import { useSettings, type Theme } from '../state/settings.ts'

const NEXT: Record<Theme, Theme> = { system: 'light', light: 'dark', dark: 'system' }
const WORDS: Record<Theme, string> = { system: 'as the system has it', light: 'light', dark: 'dark' }

export function ThemeButton() {
  const { theme, setTheme } = useSettings()
  const Picture = { system: Monitor, light: Sun, dark: Moon }[theme]
  return (
    <IconButton
      label={`Colours: ${WORDS[theme]}. Click for ${WORDS[NEXT[theme]]}.`}
      onClick={() => setTheme(NEXT[theme])}
    >
      <Picture size={16} />
    </IconButton>
  )
}
