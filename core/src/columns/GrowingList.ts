/** A list of numbers that grows, in typed memory. */
export class GrowingList<A extends Uint32Array | Float64Array> {
  length = 0
  private array: A

  constructor(private readonly make: (size: number) => A) {
    this.array = make(1024)
  }

  /** Adds a number. */
  push(value: number): void {
    if (this.length === this.array.length) {
      const larger = this.make(this.length * 2)
      larger.set(this.array as never)
      this.array = larger
    }
    this.array[this.length++] = value
  }

  /** All of them. */
  list(): A {
    return this.array.slice(0, this.length) as A
  }

  /** All of them, in memory that threads share. */
  shared(): A {
    const bytes = this.array.BYTES_PER_ELEMENT
    const buffer = new SharedArrayBuffer(Math.max(bytes, this.length * bytes))
    const final = (bytes === 8 ? new Float64Array(buffer, 0, this.length) : new Uint32Array(buffer, 0, this.length)) as A
    final.set(this.array.subarray(0, this.length) as never)
    return final
  }
}

/** A growing list of whole numbers below 2³². */
export function wholeNumbers(): GrowingList<Uint32Array> {
  return new GrowingList((size) => new Uint32Array(size))
}

/** A growing list of any numbers. */
export function anyNumbers(): GrowingList<Float64Array> {
  return new GrowingList((size) => new Float64Array(size))
}
