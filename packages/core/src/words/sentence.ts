/** Words with a capital and one full stop. */
export const sentence = (words: string): string =>
  `${words.charAt(0).toUpperCase()}${words.slice(1)}`.replace(/[.]?$/, '.')
