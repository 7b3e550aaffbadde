import { queryParameter, urlParts, type UrlParts } from './url.js'

/** What readings need of an event. Texts as received; `value` in units, not in ten-thousandths. */
export interface ReadableEvent {
  name: string
  url: string
  title?: string | null | undefined
  referrer?: string | null | undefined
  data?: Readonly<Record<string, string | number | boolean>> | null | undefined
  value?: number | null | undefined
  currency?: string | null | undefined
  order?: string | null | undefined
}

/** What readings need of the visit an event belongs to. */
export interface ReadableVisit {
  source: string | null
  medium: string | null
  campaign: string | null
}

/** A visit of which nothing is known, for what reads the event alone. */
export const NO_VISIT: ReadableVisit = { source: null, medium: null, campaign: null }

/** Readings that every event has, by name; `query.NAME`, `data.NAME` and the marketer's `own.NAME` come on top. */
export const EVENT_READINGS = [
  'url',
  'path',
  'query',
  'host',
  'title',
  'referrer',
  'referrerHost',
  'event',
  'value',
  'currency',
  'order',
  'source',
  'medium',
  'campaign',
] as const

/** Gives the text of a reading by its name, or undefined when it is absent. */
export type Reader = (reading: string) => string | undefined

/**
 * Reads an event of a visit. An empty text is absent; numbers and booleans come as text.
 * @param partsOf how addresses are taken apart; pass a remembering one where many events are read
 */
export function readEvent(event: ReadableEvent, visit: ReadableVisit, partsOf: (url: string) => UrlParts = urlParts): Reader {
  return (reading) => {
    const value = raw(reading, event, visit, partsOf)
    return value === null || value === undefined || value === '' ? undefined : String(value)
  }
}

/** Not inside `readEvent`, which is called for every event: a function made anew each time costs more than it does. */
function raw(reading: string, event: ReadableEvent, visit: ReadableVisit, partsOf: (url: string) => UrlParts): string | number | boolean | null | undefined {
  switch (reading) {
    case 'event':
      return event.name
    case 'path':
    case 'query':
    case 'host':
      return partsOf(event.url)[reading]
    case 'referrerHost':
      return event.referrer && partsOf(event.referrer).host
    case 'url':
    case 'title':
    case 'referrer':
    case 'value':
    case 'currency':
    case 'order':
      return event[reading]
    case 'source':
    case 'medium':
    case 'campaign':
      return visit[reading]
  }
  const name = reading.slice(reading.indexOf('.') + 1)
  if (reading.startsWith('query.')) return queryParameter(partsOf(event.url).query, name)
  // An own reading is taken on the page and kept among the event's data under its whole name.
  const key = reading.startsWith('data.') ? name : reading.startsWith('own.') ? reading : undefined
  if (key !== undefined && event.data && Object.prototype.hasOwnProperty.call(event.data, key)) return event.data[key]
  return undefined
}
