import { cloneElement, type ReactElement } from 'react'

/** What marks an element that the one `HintLayer` of the page explains. */
export const HINT = 'data-hint'

interface HintProps {
  text: string
  /** An element of the document, or what hands its properties on to one. */
  children: ReactElement
}

/** Explains what it encloses, on hover and on keyboard focus. */
export function Hint({ text, children }: HintProps) {
  return cloneElement(children, { [HINT]: text, 'aria-description': text } as object)
}
