import { Component, type ReactNode } from 'react'
import { Button } from './button.tsx'
import { Words } from './words.tsx'

export const LOAD_AGAIN = { label: 'Load the page again', run: () => location.reload() }

interface Props {
  children: ReactNode
  /** Stands for what breaks; words that say so, if not given. */
  instead?: ReactNode
  /** Where the user is: what broke is forgotten elsewhere. */
  at?: string
}

/** Keeps what breaks, or cannot be fetched, from taking the rest of the page with it. */
export class Boundary extends Component<Props, { error: Error | null }> {
  override state: { error: Error | null } = { error: null }

  static getDerivedStateFromError(error: Error) {
    return { error }
  }

  override componentDidUpdate({ at }: Props): void {
    if (at !== this.props.at && this.state.error !== null) this.setState({ error: null })
  }

  /** Whether it says by itself that something is missing. */
  get says(): boolean {
    return this.props.instead === undefined
  }

  override render(): ReactNode {
    const { error } = this.state
    if (error === null) return this.props.children
    return this.says ? <Broken error={error} /> : this.props.instead
  }
}

function Broken({ error }: { error: Error }) {
  const { title, why } = wordsOf(error)
  return (
    <Words alarm title={title}>
      <p className="mb-3">{why}</p>
      <Button className="text-ink" onClick={LOAD_AGAIN.run}>
        {LOAD_AGAIN.label}
      </Button>
      {location.pathname !== '/' && (
        <a href="/" className="ml-3 underline">
          To the library
        </a>
      )}
    </Words>
  )
}

/** Each browser has words of its own for a module that could not be fetched, but this is how all of them say it. */
const isNotFetched = ({ name, message }: Error): boolean =>
  name === 'TypeError' && /import|module/i.test(message)

export const wordsOf = (error: Error): { title: string; why: string } =>
  isNotFetched(error)
    ? {
        title: 'A part of the page did not come',
        why: 'The server is away, or has been replaced by another version since the page was opened.',
      }
    : { title: 'A part of the page broke', why: `${error.message}. What is stored is as it was.` }
