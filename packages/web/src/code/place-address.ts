/** Addresses that open a place in the code, made from a pattern that somebody has set. */

/** Schemes whose addresses are code, or hide what they are. */
const REFUSED = ['javascript:', 'data:', 'vbscript:', 'blob:']

/** What is wrong with a pattern, in words; null where it can be used. */
export function whatIsWrong(pattern: string): string | null {
  if (!pattern.includes('{file}')) return 'It needs {file} where the file goes.'
  const address = addressOf(pattern, { file: 'file', line: 1 })
  if (!URL.canParse(address)) return 'It is no address: it begins with a scheme, such as editor://'
  const { protocol } = new URL(address)
  return REFUSED.includes(protocol) ? `Addresses with ${protocol} are not opened.` : null
}

/** @param pattern with `{file}` and `{line}` in it */
export const addressOf = (pattern: string, { file, line }: { file: string; line: number }): string =>
  pattern
    .replaceAll('{line}', String(line))
    .replaceAll('{file}', () => file.split('/').map(encodeURIComponent).join('/'))
