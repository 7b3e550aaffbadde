import type { Calendar, Day } from '../days/zone.js'
import type { Range } from '../days/Range.js'
import type { Visit } from '../visits/deriveVisits.js'

/** How often one tag fired. */
export interface FiredTag {
  total: number
  daily: Map<Day, number>
  failed: number
  /** ms since 1970, of the last time. */
  last: number
}

/** What was counted of some of a site's visitors, as it can be handed to another thread. A tag may come several times. */
export interface FiredPart {
  fired: [tag: string, daily: [day: Day, events: number][], last: number][]
  failed: [tag: string, events: number][]
}

/** Counts how often each tag fired, from what loaders recorded with each event. Feed it every visitor's visits. */
export class FiredCount {
  readonly tags = new Map<string, FiredTag>()

  constructor(
    private readonly range: Range,
    private readonly calendar: Calendar,
  ) {}

  /** Takes visits of a visitor. */
  add(visits: readonly Visit[]): void {
    for (const { events } of visits) {
      for (const event of events) {
        if (event.at < this.range.from || event.at >= this.range.to) continue
        for (const id of event.fired ?? []) {
          const tag = this.tag(id)
          const day = this.calendar.dayOf(event.at)
          tag.total++
          tag.daily.set(day, (tag.daily.get(day) ?? 0) + 1)
          tag.last = Math.max(tag.last, event.at)
        }
        if (event.name === 'tag-failed' && event.data?.tag) this.tag(String(event.data.tag)).failed++
      }
    }
  }

  /** Adds what was counted elsewhere, of other visitors. */
  merge({ fired, failed }: FiredPart): void {
    for (const [id, daily, last] of fired) {
      const tag = this.tag(id)
      for (const [day, events] of daily) {
        tag.total += events
        tag.daily.set(day, (tag.daily.get(day) ?? 0) + events)
      }
      tag.last = Math.max(tag.last, last)
    }
    for (const [id, events] of failed) this.tag(id).failed += events
  }

  private tag(id: string): FiredTag {
    let tag = this.tags.get(id)
    if (!tag) this.tags.set(id, (tag = { total: 0, daily: new Map(), failed: 0, last: 0 }))
    return tag
  }
}
