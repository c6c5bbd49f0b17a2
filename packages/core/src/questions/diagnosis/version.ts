/** Changes whenever a figure that rules are made of does: what was stored before is worked out anew (FNV-1a, 31 bits). */
export function versionOf(byHand: number, limits: object): number {
  const text = JSON.stringify([byHand, limits])
  let hash = 0x811c9dc5
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  return (hash >>> 1) & 0x7fff_ffff
}
