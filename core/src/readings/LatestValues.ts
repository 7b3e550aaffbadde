import type { Visit } from '../visits/deriveVisits.js'
import { readEvent } from './readEvent.js'

/** How many texts are given. */
export const LATEST = 5

/** A text of a reading, and when (ms) it was there last. */
export type LatestText = [text: string, at: number]

/** Finds the latest different texts of a reading. Feed it every visitor's visits. */
export class LatestValues {
  private readonly texts = new Map<string, number>()

  constructor(private readonly reading: string) {}

  /** Takes visits of a visitor. */
  add(visits: readonly Visit[]): void {
    for (const visit of visits) {
      for (const event of visit.events) {
        const text = readEvent(event, visit.source)(this.reading)
        if (text !== undefined) this.note(text, event.at)
      }
    }
  }

  /** Adds the latest that were found elsewhere, of other visitors. */
  merge(texts: readonly LatestText[]): void {
    for (const [text, at] of texts) this.note(text, at)
  }

  /** The latest first, at most five. */
  result(): { text: string; at: string }[] {
    return [...this.texts]
      .sort((a, b) => b[1] - a[1])
      .slice(0, LATEST)
      .map(([text, at]) => ({ text, at: new Date(at).toISOString() }))
  }

  private note(text: string, at: number): void {
    if (at > (this.texts.get(text) ?? -Infinity)) this.texts.set(text, at)
  }
}
