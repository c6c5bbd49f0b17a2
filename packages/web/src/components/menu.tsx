import { lazy, Suspense } from 'react'
import { MenuButton, type MenuProps } from './menu-button.tsx'

// The list is wanted when the button is used: until it has come, there is the button.
const MenuList = lazy(() => import('./menu-list.tsx'))

/** A button that opens a short list of things to do. */
export function Menu({ items, ...button }: MenuProps) {
  return (
    <Suspense fallback={<MenuButton {...button} />}>
      <MenuList items={items} {...button} />
    </Suspense>
  )
}
