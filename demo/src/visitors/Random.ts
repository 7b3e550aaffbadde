/** Random numbers that are the same for the same seed. */
export class Random {
  private state: number

  /** @param seed any whole number */
  constructor(seed: number) {
    this.state = seed >>> 0
  }

  /** A number from 0 (included) to 1 (not included). Mulberry32, by Tommy Ettinger, public domain. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0
    let t = this.state
    t = Math.imul(t ^ (t >>> 15), t | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296
  }

  /** True with this probability. */
  chance(probability: number): boolean {
    return this.next() < probability
  }

  /** A whole number from `least` to `most`, both included. */
  whole(least: number, most: number): number {
    return least + Math.floor(this.next() * (most - least + 1))
  }

  /** One of the choices, each with its weight. */
  weighted<T>(choices: readonly (readonly [choice: T, weight: number])[]): T {
    let left = this.next() * choices.reduce((sum, [, weight]) => sum + weight, 0)
    for (const [choice, weight] of choices) if ((left -= weight) < 0) return choice
    return (choices[choices.length - 1] as readonly [T, number])[0]
  }

  /** So many hexadecimal digits. */
  hex(digits: number): string {
    let text = ''
    while (text.length < digits) text += this.whole(0, 0xffff).toString(16).padStart(4, '0')
    return text.slice(0, digits)
  }
}
