/** Places in the code. */
interface Where {
  file: string
  line: number
}

/** `src/moths.ts:42` */
export const placeWords = ({ file, line }: Where): string => `${file}:${line}`

/** By the last name of the file: `moths.ts:42` */
export const shortPlace = ({ file, line }: Where): string =>
  `${file.slice(file.lastIndexOf('/') + 1)}:${line}`
