import { lazy, Suspense, useState } from 'react'
import { Boundary } from './boundary.tsx'
import { MenuButton, type MenuProps } from './menu-button.tsx'

// The list is wanted when the button is used: until it has come, there is the button.
const MenuList = lazy(() => import('./menu-list.tsx'))

/** A button that opens a short list of things to do; one that is used before its list has come opens it then. */
export function Menu({ items, ...button }: MenuProps) {
  const [asked, setAsked] = useState(false)
  return (
    <Boundary instead={<MenuButton {...button} disabled />}>
      <Suspense fallback={<MenuButton {...button} onClick={() => setAsked(true)} />}>
        <MenuList items={items} opens={asked} {...button} />
      </Suspense>
    </Boundary>
  )
}
