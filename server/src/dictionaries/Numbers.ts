import type { Database } from '../database/Database.js'

/** Numbers a process takes at once. What it has not used when it ends is never used: of four thousand million, that is little. */
const BLOCK = 2000

/** Hands out numbers of a dictionary, each once among all processes. */
export class Numbers {
  private next = 0
  /** The first number that is not ours. */
  private end = 0
  private taking: Promise<void> | undefined

  constructor(
    private readonly database: Database,
    private readonly dictionary: string,
  ) {}

  /** Takes so many numbers. */
  async take(count: number): Promise<number[]> {
    const taken: number[] = []
    while (taken.length < count) {
      if (this.next < this.end) taken.push(this.next++)
      else await (this.taking ??= this.takeBlock(Math.max(BLOCK, count)).finally(() => (this.taking = undefined)))
    }
    return taken
  }

  private async takeBlock(size: number): Promise<void> {
    const { affectedRows, insertId } = await this.database.run('UPDATE dictionary_numbers SET next = LAST_INSERT_ID(next + ?) WHERE dictionary = ?', [
      size,
      this.dictionary,
    ])
    if (!affectedRows) throw new Error(`There are no numbers for ${this.dictionary}.`)
    this.next = insertId - size
    this.end = insertId
  }
}
