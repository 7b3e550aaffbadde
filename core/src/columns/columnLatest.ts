import { LATEST, type LatestText } from '../readings/LatestValues.js'
import { columnReading } from './columnRule.js'
import type { ColumnPart, Columns } from './Columns.js'

/**
 * Finds the latest different texts of readings that follow from an event's data, over a part of a site's columns, as
 * `LatestValues` does over visits; its `merge` takes the answers.
 * @param readings `own.NAME` or `data.NAME`
 */
export function columnLatest(columns: Columns, part: ColumnPart, readings: readonly string[]): LatestText[][] {
  const { at, data, visitStart, visitorStart, texts } = columns
  const last = new Float64Array(texts.data.length).fill(-Infinity)
  for (let visitor = part.from; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    const end = visitStart[visitorStart[visitor + 1] as number] as number
    for (let position = visitStart[visitorStart[visitor] as number] as number; position < end; position++) {
      const id = data[position] as number
      if ((at[position] as number) > (last[id] as number)) last[id] = at[position] as number
    }
  }
  return readings.map((reading) => {
    const { textOf } = columnReading(reading, columns, { visit: 0 })
    const found = new Map<string, number>()
    for (const [id, instant] of last.entries()) {
      const text = instant > -Infinity ? textOf(id) : undefined
      if (text !== undefined && instant > (found.get(text) ?? -Infinity)) found.set(text, instant)
    }
    return [...found].sort((a, b) => b[1] - a[1]).slice(0, LATEST)
  })
}
