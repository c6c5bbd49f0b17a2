export class Water {
  constructor(size) {
    this.size = size
    this.now = new Float64Array(size * size)
    this.before = new Float64Array(size * size)
  }

  splash(x, y) {
    const at = Math.floor((y / 101) * this.size) * this.size + Math.floor((x / 101) * this.size)
    this.now[at] += 1
  }

  /** Rings run outwards. */
  spread() {
    const { size, now, before } = this
    for (let y = 1; y < size - 1; y++)
      for (let x = 1; x < size - 1; x++) {
        const at = y * size + x
        before[at] = ((now[at - 1] + now[at + 1] + now[at - size] + now[at + size]) / 2 - before[at]) * 0.98
      }
    this.now = before
    this.before = now
  }
}
