import { goalEvents } from '../goals/goalEvents.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import { compareCodePoints } from '../text/compareCodePoints.js'
import type { Visit } from '../visits/deriveVisits.js'

/** A way on which many reached a goal: the pages in order, and how many visits went exactly it. */
export interface FrequentWay {
  /** Paths of the pages, each once in a row; the last is where the goal was reached. */
  pages: string[]
  visits: number
}

/** Longest way that is suggested, in pages. */
const LONGEST = 6
const MOST_KEPT = 50_000

/** Finds the most frequent ways to a goal. Feed it every visitor once. */
export class FrequentWays {
  private readonly partsOf = rememberingUrlParts()
  private readonly ways = new Map<string, FrequentWay>()

  constructor(
    private readonly goal: PreparedGoal,
    private readonly from: number,
    private readonly to: number,
  ) {}

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visits: readonly Visit[]): void {
    const seen = new Set<Visit>()
    for (const { event, visit } of goalEvents(this.goal, visits, this.partsOf).counted) {
      if (event.at < this.from || event.at >= this.to || seen.has(visit)) continue
      seen.add(visit)
      const pages: string[] = []
      for (const each of visit.events) {
        if (each.name === 'page-view') {
          const { path } = this.partsOf(each.url)
          // What somebody looked at again is not part of the way.
          const before = pages.indexOf(path)
          if (before >= 0) pages.splice(before + 1)
          else pages.push(path)
        }
        if (each === event) break
      }
      const way = pages.slice(-LONGEST)
      if (way.length < 2) continue
      const key = way.join('\n')
      const known = this.ways.get(key)
      if (known) known.visits++
      else if (this.ways.size < MOST_KEPT) this.ways.set(key, { pages: way, visits: 1 })
    }
  }

  /** The most frequent ways, most visits first. */
  result(most = 5): FrequentWay[] {
    return [...this.ways.values()]
      .sort((a, b) => b.visits - a.visits || b.pages.length - a.pages.length || compareCodePoints(a.pages.join(), b.pages.join()))
      .slice(0, most)
  }
}
