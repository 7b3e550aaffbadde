import type { Range } from '../days/Range.js'
import type { SeenValue } from '../readings/ValueCount.js'
import { columnReading, type ColumnCursor } from './columnRule.js'
import type { ColumnPart, Columns } from './Columns.js'

/** Not looked at yet, and: not among what is looked for. */
const [UNKNOWN, NONE] = [-1, -2]

/**
 * Counts what a reading really was over a part of a site's columns, as `ValueCount` does over visits; its `merge` takes the answer.
 * @param eventName only events of this name; all if undefined
 * @param search only texts that contain this, in any case
 */
export function columnValues(columns: Columns, part: ColumnPart, reading: string, range: Range, eventName: string | undefined, search: string): SeenValue[] {
  const { at, name, visitStart, visitorStart, texts } = columns
  const cursor: ColumnCursor = { visit: 0 }
  const wanted = eventName ? texts.names.indexOf(eventName) : -1
  if (eventName && wanted < 0) return []
  const formSent = texts.names.indexOf('form-sent')
  const numberAt = numbersOf(columns, reading, cursor)
  const values: SeenValue[] = []
  const places = new Map<string, number>()
  /** Visit + 1 in which each value was seen last. */
  const seen: number[] = []
  const placeOf = (text: string | undefined): number => {
    if (text === undefined || !text.toLowerCase().includes(search.toLowerCase())) return NONE
    let place = places.get(text)
    if (place === undefined) {
      places.set(text, (place = values.length))
      values.push({ text, events: 0, visits: 0, afterForm: 0, first: 0 })
      seen.push(0)
    }
    return place
  }
  for (let visitor = part.from; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    const end = visitorStart[visitor + 1] as number
    for (let visit = visitorStart[visitor] as number; visit < end; visit++) {
      const from = visitStart[visit] as number
      const to = visitStart[visit + 1] as number
      if ((at[from] as number) >= range.to || (at[to - 1] as number) < range.from) continue
      cursor.visit = visit
      for (let position = from; position < to; position++) {
        if (wanted >= 0 && name[position] !== wanted) continue
        if ((at[position] as number) < range.from || (at[position] as number) >= range.to) continue
        const place = numberAt(position, placeOf)
        if (place === NONE) continue
        const value = values[place] as SeenValue
        value.events++
        if (position === from) value.first++
        else if (name[position - 1] === formSent) value.afterForm++
        if (seen[place] === visit + 1) continue
        seen[place] = visit + 1
        value.visits++
      }
    }
  }
  return values
}

/** Finds the place of an event's text; each text that can be told by its number is looked up once. */
function numbersOf(columns: Columns, reading: string, cursor: ColumnCursor): (position: number, placeOf: (text: string | undefined) => number) => number {
  const { idAt, size, textOf } = columnReading(reading, columns, cursor)
  if (size) {
    const known = new Int32Array(size).fill(UNKNOWN)
    return (position, placeOf) => {
      const id = idAt(position)
      let place = known[id] as number
      if (place === UNKNOWN) known[id] = place = placeOf(textOf(id))
      return place
    }
  }
  // Whole addresses follow from two numbers, values from themselves.
  const { address, rest, value, texts } = columns
  const keyAt =
    reading === 'url'
      ? (position: number) => (address[position] as number) * texts.rests.length + (rest[position] as number)
      : (position: number) => value[position] as number
  if (reading !== 'url' && reading !== 'value') return (position, placeOf) => placeOf(textOf(position))
  const known = new Map<number, number>()
  return (position, placeOf) => {
    const key = keyAt(position)
    let place = known.get(key)
    if (place === undefined) known.set(key, (place = placeOf(textOf(position))))
    return place
  }
}
