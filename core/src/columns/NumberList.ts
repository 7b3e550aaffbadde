/** A growing list of whole numbers below 2³². */
export class NumberList {
  private array = new Uint32Array(1024)
  private length = 0

  /** Adds a number. */
  push(value: number): void {
    if (this.length === this.array.length) {
      const larger = new Uint32Array(this.length * 2)
      larger.set(this.array)
      this.array = larger
    }
    this.array[this.length++] = value
  }

  /** All of them. */
  list(): Uint32Array {
    return this.array.slice(0, this.length)
  }
}
