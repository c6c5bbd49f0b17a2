/** Where reports to give away are fetched from. */
export type Reported =
  | { take: string }
  | { before: readonly string[]; after: readonly string[] }
  | { plan: string }
  | { game: string }

export const reportAddress = (about: Reported, format: 'html' | 'md'): string =>
  `/api/report?${new URLSearchParams({
    ...Object.fromEntries(Object.entries(about).map(([name, value]) => [name, [value].flat().join(',')])),
    format,
  })}`
