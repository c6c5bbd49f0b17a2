export let text = ''

/** The score of every frog, written anew in each frame. */
export function writeScore(frogs) {
  text = frogs.map((frog, i) => `frog ${i}: ${String(frog.caught).padStart(4, '0')}`).join('\n')
}
