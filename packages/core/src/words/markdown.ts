/** Text that is nothing but text in Markdown, whatever is in it: no markup, no raw HTML, no link, no picture. */

/** Signs that would be markup at some place or other; of a table, of HTML, and what becomes a link by itself. */
const SIGNS = /[\\`*_{}[\]<>#|&@~$]|(?<=\b(?:https?|ftp|mailto|xmpp)):|(?<=\bwww)\./gi

/** Names come from games: none of them may write into the page that a report becomes. NUL is for no reader (CommonMark 2.3). */
export const inMarkdown = (text: string): string =>
  text.replaceAll(SIGNS, '\\$&').replaceAll('\0', '\ufffd').replaceAll(/\s+/g, ' ').trim()

/** What text goes through on its way into a report. */
export const saidIn = (markdown: boolean): ((text: string) => string) =>
  markdown ? inMarkdown : (text) => text
