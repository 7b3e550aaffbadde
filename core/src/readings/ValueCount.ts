import type { Range } from '../days/Range.js'
import type { Visit } from '../visits/deriveVisits.js'
import { readEvent } from './readEvent.js'
import { rememberingUrlParts } from './rememberingUrlParts.js'

/** One text that a reading really had, and how it occurred. */
export interface SeenValue {
  text: string
  /** Events with this text. */
  events: number
  /** Visits with at least one of them. */
  visits: number
  /** Events that came right after a form was sent in the same visit. */
  afterForm: number
  /** Events that were the first of their visit. */
  first: number
}

/**
 * Counts what a reading really was on a site, most frequent first. Feed it every visitor's visits.
 * @param eventName only events of this name; all if undefined
 */
export class ValueCount {
  private readonly partsOf = rememberingUrlParts()
  private readonly values = new Map<string, SeenValue>()

  constructor(
    private readonly reading: string,
    private readonly range: Range,
    private readonly eventName?: string,
  ) {}

  /** Takes visits of a visitor. */
  add(visits: readonly Visit[]): void {
    for (const visit of visits) {
      const seen = new Set<string>()
      for (const [index, event] of visit.events.entries()) {
        if (event.at < this.range.from || event.at >= this.range.to || (this.eventName && event.name !== this.eventName)) continue
        const text = readEvent(event, visit.source, this.partsOf)(this.reading)
        if (text === undefined) continue
        let value = this.values.get(text)
        if (!value) this.values.set(text, (value = { text, events: 0, visits: 0, afterForm: 0, first: 0 }))
        value.events++
        if (index === 0) value.first++
        if (visit.events[index - 1]?.name === 'form-sent') value.afterForm++
        if (!seen.has(text)) value.visits++
        seen.add(text)
      }
    }
  }

  /** Adds what was counted elsewhere, of other visitors. */
  merge(values: readonly SeenValue[]): void {
    for (const each of values) {
      const value = this.values.get(each.text)
      if (!value) {
        this.values.set(each.text, { ...each })
        continue
      }
      value.events += each.events
      value.visits += each.visits
      value.afterForm += each.afterForm
      value.first += each.first
    }
  }

  /** The most frequent texts that contain `search` (any case). */
  result(search: string, most: number): SeenValue[] {
    const wanted = search.toLowerCase()
    return [...this.values.values()]
      .filter((value) => value.text.toLowerCase().includes(wanted))
      .sort((a, b) => b.events - a.events || (a.text < b.text ? -1 : 1))
      .slice(0, most)
  }
}
