const REACH = 6

export class Frog {
  caught = 0

  constructor(random) {
    this.x = random() * 100
    this.y = random() * 100
    this.rest = Math.floor(random() * 120)
  }

  update(flies) {
    const fly = this.seek(flies)
    if (Math.hypot(fly.x - this.x, fly.y - this.y) < REACH) this.caught++
  }

  /** The nearest fly, found by sorting all of them. */
  seek(flies) {
    const distance = (fly) => Math.hypot(fly.x - this.x, fly.y - this.y)
    return [...flies].sort((a, b) => distance(a) - distance(b))[0]
  }

  leaps(frame) {
    return (frame + this.rest) % 120 === 0
  }
}
