import { X } from 'lucide-react'
import { dismiss, useNotices } from '../state/notices.ts'
import { IconButton } from '../components/button.tsx'

export function Notices() {
  const notices = useNotices((state) => state.notices)
  return (
    <div role="status" className="fixed bottom-5 left-1/2 z-50 flex -translate-x-1/2 flex-col gap-2">
      {notices.map(({ id, text, action }) => (
        <div
          key={id}
          className="flex max-w-xl items-center gap-4 rounded border border-line bg-leaf py-2 pr-2 pl-4 shadow-lg"
        >
          <span>{text}</span>
          {action !== null && (
            <button
              type="button"
              className="font-semibold text-work underline"
              onClick={() => {
                action.run()
                dismiss(id)
              }}
            >
              {action.label}
            </button>
          )}
          <IconButton label="Dismiss" onClick={() => dismiss(id)}>
            <X size={14} />
          </IconButton>
        </div>
      ))}
    </div>
  )
}
