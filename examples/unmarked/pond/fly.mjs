export class Fly {
  #random
  constructor(random) {
    this.#random = random
    this.x = random() * 100
    this.y = random() * 100
  }

  update() {
    this.x = this.#kept(this.x + this.#random() - 0.5)
    this.y = this.#kept(this.y + this.#random() - 0.5)
  }

  #kept(at) {
    return Math.min(100, Math.max(0, at))
  }
}
