import { Component, type ReactNode } from 'react'
import { notify, useNotices } from '../state/notices.ts'
import { Button } from './button.tsx'
import { Words } from './words.tsx'

const AGAIN = 'Load the page again'
const loadAgain = () => location.reload()

interface Props {
  children: ReactNode
  /** Stands for what breaks, and a notice says so; words in its place, if not given. */
  instead?: ReactNode
}

/** Keeps what breaks, or cannot be fetched, from taking the rest of the page with it. */
export class Boundary extends Component<Props, { error: Error | null }> {
  override state: { error: Error | null } = { error: null }

  static getDerivedStateFromError(error: Error) {
    return { error }
  }

  override componentDidCatch(error: Error): void {
    if (this.props.instead === undefined) return
    const { title, why } = wordsOf(error)
    const text = `${title}. ${why}`
    // Menus come by the dozen.
    if (useNotices.getState().notices.some((notice) => notice.text === text)) return
    notify(text, { label: AGAIN, run: loadAgain })
  }

  override render(): ReactNode {
    const { error } = this.state
    if (error === null) return this.props.children
    return this.props.instead === undefined ? <Broken error={error} /> : this.props.instead
  }
}

function Broken({ error }: { error: Error }) {
  const { title, why } = wordsOf(error)
  return (
    <Words alarm title={title}>
      <p className="mb-3">{why}</p>
      <Button onClick={loadAgain}>{AGAIN}</Button>
    </Words>
  )
}

/** Each browser has words of its own for a module that could not be fetched, but this is how all of them say it. */
const isNotFetched = ({ name, message }: Error): boolean =>
  name === 'TypeError' && /import|module/i.test(message)

const wordsOf = (error: Error): { title: string; why: string } =>
  isNotFetched(error)
    ? {
        title: 'A part of the page did not come',
        why: 'The server is away, or has been replaced by another version since the page was opened.',
      }
    : { title: 'A part of the page broke', why: `${error.message}. What is stored is as it was.` }
