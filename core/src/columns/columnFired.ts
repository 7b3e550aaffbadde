import type { Range } from '../days/Range.js'
import type { Calendar, Day } from '../days/zone.js'
import type { FiredPart } from '../wiring/FiredCount.js'
import type { ColumnPart, Columns } from './Columns.js'
import { dayFinder } from './dayFinder.js'

/** Counts how often each tag fired over a part of a site's columns, as `FiredCount` does over visits; its `merge` takes the answer. */
export function columnFired(columns: Columns, part: ColumnPart, range: Range, calendar: Calendar): FiredPart {
  const { at, name, fired, data, visitStart, visitorStart, texts } = columns
  const failure = texts.names.indexOf('tag-failed')
  const days = dayFinder(range, calendar)
  const width = days.days.length
  /** Events by the set of tags that fired, and by day. */
  const counts = new Uint32Array(texts.fired.length * width)
  const last = new Float64Array(texts.fired.length)
  const failures = new Map<number, number>()
  for (let visitor = part.from; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    const end = visitStart[visitorStart[visitor + 1] as number] as number
    for (let position = visitStart[visitorStart[visitor] as number] as number; position < end; position++) {
      const set = fired[position] as number
      if (!set && name[position] !== failure) continue
      const instant = at[position] as number
      if (instant < range.from || instant >= range.to) continue
      if (set) {
        counts[set * width + days.indexOf(instant)]!++
        if (instant > (last[set] as number)) last[set] = instant
      }
      if (name[position] === failure) failures.set(data[position] as number, (failures.get(data[position] as number) ?? 0) + 1)
    }
  }
  const found: FiredPart = { fired: [], failed: [] }
  for (const [set, text] of texts.fired.entries()) {
    if (!last[set]) continue
    const daily = days.days.flatMap((day, index): [Day, number][] => {
      const events = counts[set * width + index] as number
      return events ? [[day, events]] : []
    })
    for (const tag of JSON.parse(text) as string[]) found.fired.push([tag, daily, last[set] as number])
  }
  for (const [id, events] of failures) {
    const { tag } = JSON.parse(texts.data[id] || '{}') as { tag?: string | number | boolean }
    if (tag) found.failed.push([String(tag), events])
  }
  return found
}
