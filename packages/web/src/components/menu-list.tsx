import { DropdownMenu } from 'radix-ui'
import { useState } from 'react'
import { MenuButton, type MenuItem, type MenuProps } from './menu-button.tsx'

/**
 * The button with its list: see menu.tsx.
 * @param opens whether the list is open when it comes
 */
export default function MenuList({ items, opens, ...button }: MenuProps & { opens: boolean }) {
  return (
    <DropdownMenu.Root defaultOpen={opens}>
      <DropdownMenu.Trigger asChild>
        <MenuButton {...button} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-50 max-h-96 overflow-y-auto rounded border border-line bg-leaf p-1 shadow-lg"
        >
          <Items items={items} />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

/** There while the list is open. */
function Items({ items }: Pick<MenuProps, 'items'>) {
  const [shown] = useState<MenuItem[]>(items)
  return (
    <>
      {shown.map(({ label: words, run, href }, i) => (
        <DropdownMenu.Item
          key={`${i} ${words}`}
          onSelect={() => run?.()}
          asChild={href !== undefined}
          className="block cursor-pointer rounded px-3 py-1 data-[highlighted]:bg-line/60"
        >
          {href === undefined ? (
            words
          ) : (
            <a href={href} download>
              {words}
            </a>
          )}
        </DropdownMenu.Item>
      ))}
    </>
  )
}
