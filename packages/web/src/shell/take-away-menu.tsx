import { Share } from 'lucide-react'
import { reportAddress, type Reported } from '../api/reports.ts'
import { Menu } from '../components/menu.tsx'
import { useShown, type ShownPicture } from '../components/shown.tsx'
import { notify } from '../state/notices.ts'
import { saveBlob, saveText } from '../state/take-away.ts'

/** What of the screen can be given to somebody: a report of it, its pictures, its tables. */
export function TakeAwayMenu({ about, name }: { about: Reported; name: string }) {
  const shown = useShown()
  return (
    <Menu
      small
      label="Take it away"
      picture={<Share size={16} />}
      items={() => [
        { label: 'Report as a page (HTML)', href: reportAddress(about, 'html') },
        { label: 'Report as Markdown', href: reportAddress(about, 'md') },
        ...itemsOf(shown, name),
      ]}
    />
  )
}

function itemsOf(
  { tables, pictures }: ReturnType<typeof useShown>,
  name: string,
): { label: string; run(): void }[] {
  const fileOf = (label: string, ending: string) =>
    `${`${name} ${label}`.replaceAll(/[^\p{L}\p{N}]+/gu, '-').replaceAll(/^-|-$/g, '')}.${ending}`
  const telling = (work: Promise<void>) =>
    void work.catch((error: Error) => notify(`It could not be saved: ${error.message}.`))
  return [
    ...[...pictures].flatMap((picture) => [
      {
        label: `${picture.label}, as PNG`,
        run: () => telling(savePng(picture, fileOf(picture.label, 'png'))),
      },
      {
        label: `${picture.label}, as SVG`,
        run: () =>
          telling(
            picture.svg().then((text) => saveText(fileOf(picture.label, 'svg'), 'image/svg+xml', text)),
          ),
      },
    ]),
    ...[...tables].map(({ label, csv }) => ({
      label: `${label}, as CSV`,
      run: () => telling(csv().then((text) => saveText(fileOf(label, 'csv'), 'text/csv', text))),
    })),
  ]
}

const savePng = ({ canvas }: ShownPicture, file: string): Promise<void> =>
  new Promise((resolve, reject) =>
    canvas.toBlob((blob) => {
      if (blob === null) return reject(new Error('the picture is empty'))
      saveBlob(file, blob)
      resolve()
    }),
  )
