import type { Visit } from '../visits/deriveVisits.js'
import { readEvent } from './readEvent.js'

const MOST = 5

/** Finds the latest different texts of a reading. Feed it every visitor's visits. */
export class LatestValues {
  /** ms since 1970 of the last time, by text. */
  private readonly texts = new Map<string, number>()

  constructor(private readonly reading: string) {}

  /** Takes visits of a visitor. */
  add(visits: readonly Visit[]): void {
    for (const visit of visits) {
      for (const event of visit.events) {
        const text = readEvent(event, visit.source)(this.reading)
        if (text !== undefined && (this.texts.get(text) ?? 0) < event.at) this.texts.set(text, event.at)
      }
    }
  }

  /** The latest first, at most five. */
  result(): { text: string; at: string }[] {
    return [...this.texts]
      .sort((a, b) => b[1] - a[1])
      .slice(0, MOST)
      .map(([text, at]) => ({ text, at: new Date(at).toISOString() }))
  }
}
