import { DropdownMenu } from 'radix-ui'
import { MenuButton, type MenuProps } from './menu-button.tsx'

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
          {items.map(({ label: words, run, href }, i) => (
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
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
