/** Text as it may stand in XML, HTML and SVG, also in attributes: what XML 1.0 cannot hold is left out. */
export const escaped = (text: string): string =>
  text
    .replaceAll(/[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;')
