import type { Range } from '../days/Range.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { placeFromText } from '../events/Place.js'
import { amountToNumber } from '../money/Amount.js'
import type { VisitSource } from '../sources/sourceOf.js'
import type { Visit } from '../visits/deriveVisits.js'
import type { ColumnPart, Columns } from './Columns.js'

/**
 * Hands out the visits that columns were made of, visitor by visitor, for questions that have no answer over numbers alone.
 * Visitors are told by their place. Uids are there for events with an order only; the browser and the place, for the first event of a visit.
 * @param range only visitors with an event in it
 */
export function* columnVisits(columns: Columns, part: ColumnPart, range: Range): Generator<{ visitor: number; visits: Visit[] }> {
  const { at, visitStart, visitorStart, visitSource, texts } = columns
  const eventAt = eventReader(columns)
  for (let visitor = part.from; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    const [first, end] = [visitorStart[visitor] as number, visitorStart[visitor + 1] as number]
    // Visits stand in order: the range lies before the first, behind the last, or somebody may have been there in it.
    if (first === end || (at[visitStart[first] as number] as number) >= range.to || (at[(visitStart[end] as number) - 1] as number) < range.from) continue
    const visits: Visit[] = []
    for (let visit = first; visit < end; visit++) {
      const [from, to] = [visitStart[visit] as number, visitStart[visit + 1] as number]
      const events: LoggedEvent[] = []
      for (let position = from; position < to; position++) events.push(eventAt(position, position === from ? visit : -1))
      visits.push({ startedAt: at[from] as number, endedAt: at[to - 1] as number, source: texts.sources[visitSource[visit] as number] as VisitSource, events })
    }
    yield { visitor, visits }
  }
}

/** Makes the event at a position up again; of the first one of a visit, also what is kept with the visit. */
function eventReader(columns: Columns): (position: number, visit: number) => LoggedEvent {
  const { at, name, address, rest, title, referrer, currency, order, orderUid, data, fired, value, visitAgent, visitPlace, texts } = columns
  const parsed: (LoggedEvent['data'] | undefined)[] = []
  const sets: (string[] | undefined)[] = []
  return (position, visit) => {
    const event: LoggedEvent = {
      uid: texts.uids[orderUid[position] as number] as string,
      at: at[position] as number,
      name: texts.names[name[position] as number] as string,
      url: (texts.addresses[address[position] as number] as string) + (texts.rests[rest[position] as number] as string),
    }
    if (title[position]) event.title = texts.titles[title[position] as number]
    if (referrer[position]) event.referrer = texts.referrers[referrer[position] as number]
    if (currency[position]) event.currency = texts.currencies[currency[position] as number]
    if (order[position]) event.order = texts.orders[order[position] as number]
    const amount = value[position] as number
    if (!Number.isNaN(amount)) event.value = amountToNumber(amount)
    const dataId = data[position] as number
    if (dataId) event.data = parsed[dataId] ??= JSON.parse(texts.data[dataId] as string) as LoggedEvent['data']
    const set = fired[position] as number
    if (set) event.fired = sets[set] ??= JSON.parse(texts.fired[set] as string) as string[]
    if (visit < 0) return event
    if (visitAgent[visit]) event.userAgent = texts.agents[visitAgent[visit] as number]
    if (visitPlace[visit]) event.place = placeFromText(texts.places[visitPlace[visit] as number] as string)
    return event
  }
}
