import { X } from 'lucide-react'
import { Dialog } from 'radix-ui'
import type { WindowProps } from './window.tsx'

/** The dialog itself: see window.tsx. */
export default function WindowFrame({ title, about, open, onOpenChange, children }: WindowProps) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-40 max-h-[88vh] w-[40rem] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-md border border-line bg-leaf p-6 shadow-xl">
          <Dialog.Title className="font-serif text-xl">{title}</Dialog.Title>
          <Dialog.Description className="mt-1 mb-4 text-faint">{about}</Dialog.Description>
          {children}
          {/* Last, so that opening the window puts the focus on its contents. No hint: Escape would close that first. */}
          <Dialog.Close
            aria-label="Close"
            className="absolute top-4 right-4 rounded p-1 text-faint hover:bg-line/60 hover:text-ink"
          >
            <X size={16} />
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
