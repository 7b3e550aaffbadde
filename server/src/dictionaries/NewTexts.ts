import type { Statement } from '../database/Database.js'

/** A text that no dictionary had, with the number it will have. */
export interface NewText {
  id: number
  siteId: number
  hash: Buffer
  text: string
}

/** A dictionary that texts are added to. */
export interface Taker {
  /** Adds texts, in the order of their hashes. */
  insertion(texts: readonly NewText[]): Statement
  /** Told once they are there. */
  remember(texts: readonly NewText[]): void
  /** Told when they are there, or will not come: nobody waits for them any more. */
  release(keys: readonly string[]): void
}

/**
 * Texts that come with a group of events and are added in the transaction that stores them, so that a new visitor costs no
 * commit of its own. Until then nobody else adds them: who needs one of them meanwhile waits for this group to end.
 */
export class NewTexts {
  /** When the group has ended, one way or the other. */
  readonly ended: Promise<void>
  private end: () => void = () => undefined
  private readonly texts = new Map<Taker, NewText[]>()
  private readonly keys = new Map<Taker, string[]>()

  constructor() {
    this.ended = new Promise((resolve) => (this.end = resolve))
  }

  /** Notes that this group looks after some texts. */
  lookAfter(taker: Taker, keys: readonly string[]): void {
    this.keys.set(taker, [...(this.keys.get(taker) ?? []), ...keys])
  }

  /** Notes that this group brings some texts. */
  bring(taker: Taker, texts: readonly NewText[]): void {
    if (texts.length) this.texts.set(taker, [...(this.texts.get(taker) ?? []), ...texts])
  }

  /** What adds them all; always in the same order, so that two groups cannot lock each other out. */
  statements(takers: readonly Taker[]): Statement[] {
    return takers.flatMap((taker) => {
      const texts = this.texts.get(taker)
      return texts ? [taker.insertion(texts)] : []
    })
  }

  /** The transaction was committed. */
  kept(): void {
    for (const [taker, texts] of this.texts) taker.remember(texts)
    this.over()
  }

  /** The group has ended; what was not kept until now is not there, as far as is known. */
  over(): void {
    for (const [taker, keys] of this.keys) taker.release(keys)
    this.keys.clear()
    this.end()
  }
}
