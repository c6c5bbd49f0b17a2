/** Text that somebody takes along: on the clipboard, or as a file. */
import { notify } from './notices.ts'

/** @param what what is on the clipboard then, with its verb: `12 lines are` */
export async function copyText(text: string, what: string): Promise<void> {
  await navigator.clipboard.writeText(text).then(
    () => notify(`${what} on the clipboard.`),
    () => notify('The browser did not allow copying.'),
  )
}

export const saveText = (name: string, type: string, text: string): void =>
  saveBlob(name, new Blob([text], { type }))

export function saveBlob(name: string, blob: Blob): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}
