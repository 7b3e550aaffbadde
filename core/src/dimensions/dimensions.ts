import Bowser from 'bowser'
import type { Calendar } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { urlParts, type UrlParts } from '../readings/url.js'
import type { Visit } from '../visits/deriveVisits.js'

/** Everything that visits can be told apart by (contract "Reports"). */
export const DIMENSIONS = [
  'day',
  'week',
  'month',
  'hour',
  'weekday',
  'source',
  'medium',
  'campaign',
  'content',
  'term',
  'landing',
  'exit',
  'path',
  'country',
  'region',
  'city',
  'device',
  'browser',
  'system',
  'language',
  'host',
] as const
/** Something that visits can be told apart by. */
export type Dimension = (typeof DIMENSIONS)[number]
/** A value of a dimension; missing values are null. */
export type DimensionValue = string | number | null

/** The words for a dimension where it stands by itself. */
export const DIMENSION_WORDS: Record<Dimension, string> = {
  day: 'day',
  week: 'week',
  month: 'month',
  hour: 'hour of the day',
  weekday: 'day of the week',
  source: 'source',
  medium: 'medium',
  campaign: 'campaign',
  content: 'content',
  term: 'term',
  landing: 'landing page',
  exit: 'exit page',
  path: 'page',
  country: 'country',
  region: 'region',
  city: 'city',
  device: 'device',
  browser: 'browser',
  system: 'system',
  language: 'language',
  host: 'host',
}

/** Tells whether a dimension is one of time: its values belong to an instant, not to the visit. */
export function isTimeDimension(dimension: Dimension): dimension is 'day' | 'week' | 'month' | 'hour' | 'weekday' {
  return dimension === 'day' || dimension === 'week' || dimension === 'month' || dimension === 'hour' || dimension === 'weekday'
}

/** The value of a dimension of time at an instant (ms): hour 0–23, weekday 1 = Monday, week `2026-W18`, month `2026-05`. */
export function timeDimension(dimension: 'day' | 'week' | 'month' | 'hour' | 'weekday', at: number, calendar: Calendar): string | number {
  switch (dimension) {
    case 'day':
      return calendar.dayOf(at)
    case 'month':
      return calendar.dayOf(at).slice(0, 7)
    case 'hour':
      return calendar.localClock(at).getUTCHours()
    case 'weekday':
      return calendar.localClock(at).getUTCDay() || 7
    case 'week':
      return isoWeek(calendar.dayOf(at))
  }
}

/** The ISO 8601 week of a day, `2026-W18`: weeks begin on Monday and belong to the year of their Thursday. */
export function isoWeek(day: string): string {
  const date = new Date(`${day}T00:00:00Z`)
  const thursday = new Date(date.getTime() + (4 - (date.getUTCDay() || 7)) * 86_400_000)
  const week = Math.floor((thursday.getTime() - Date.UTC(thursday.getUTCFullYear(), 0, 1)) / 86_400_000 / 7) + 1
  return `${thursday.getUTCFullYear()}-W${String(week).padStart(2, '0')}`
}

/** What a browser says of itself, in words. */
export interface Agent {
  /** `desktop`, `mobile`, `tablet` or `tv`; null where it does not say. */
  device: string | null
  browser: string | null
  system: string | null
}

const NO_AGENT: Agent = { device: null, browser: null, system: null }
const agents = new Map<string, Agent>()

/** Reads a browser's own description. */
export function agentOf(userAgent: string | null | undefined): Agent {
  if (!userAgent) return NO_AGENT
  let agent = agents.get(userAgent)
  if (agent) return agent
  const { platform, browser, os } = Bowser.parse(userAgent)
  agent = { device: platform.type ?? null, browser: browser.name ?? null, system: os.name ?? null }
  if (agents.size > 10_000) agents.clear()
  agents.set(userAgent, agent)
  return agent
}

/** The value of a dimension for a visit. `path` and `host` are those of an event of it; the first where none is given. */
export function visitDimension(
  dimension: Dimension,
  visit: Visit,
  calendar: Calendar,
  event: LoggedEvent | undefined = visit.events[0],
  partsOf: (url: string) => UrlParts = urlParts,
): DimensionValue {
  if (isTimeDimension(dimension)) return timeDimension(dimension, visit.startedAt, calendar)
  const [first] = visit.events
  switch (dimension) {
    case 'source':
    case 'medium':
    case 'campaign':
    case 'content':
    case 'term':
      return visit.source[dimension]
    case 'landing':
    case 'exit': {
      const page = dimension === 'landing' ? visit.events.find(isPageView) : visit.events.findLast(isPageView)
      return page ? partsOf(page.url).path : null
    }
    case 'path':
    case 'host':
      return event ? partsOf(event.url)[dimension] || null : null
    case 'country':
    case 'region':
    case 'city':
    case 'language':
      return first?.place?.[dimension] ?? null
    case 'device':
    case 'browser':
    case 'system':
      return agentOf(first?.userAgent)[dimension]
  }
}

const isPageView = (event: LoggedEvent): boolean => event.name === 'page-view'
