import type { LoggedEvent } from '@acequia/core/events/LoggedEvent'
import { placeFromText } from '@acequia/core/events/Place'
import { amountToNumber } from '@acequia/core/money/Amount'
import type { Connection, Database } from '../database/Database.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { allEvents, eventsOfSpan, eventsOfVisitors, type EventExtra, type EventRow } from './eventsTable.js'

/** An event of the log with the numbers that derived rows refer to. */
export interface StoredEvent extends LoggedEvent {
  addressId: number
}

/** All events of one visitor. */
export interface VisitorEvents {
  visitorId: number
  events: StoredEvent[]
}

const ROWS_AT_ONCE = 20_000
/** Visitors to ask for at once: from a thousand values on MariaDB takes a list for a table to be joined. */
export const VISITORS_AT_ONCE = 900

/** Reads the log back as core's events. */
export class EventLog {
  constructor(
    private readonly database: Database,
    private readonly dictionaries: Dictionaries,
  ) {}

  /** The events of some visitors, as of now in this transaction. */
  async ofVisitors(siteId: number, visitorIds: number[], connection: Connection): Promise<VisitorEvents[]> {
    const rows = await eventsOfVisitors(this.database, siteId, visitorIds, connection)
    return byVisitor(await this.decode(rows, connection), rows)
  }

  /**
   * The events of a span of visitors, both ends included, as of now in this transaction, with all that goals look at.
   * @param extras of what only some goals look at, this
   */
  async ofSpan(siteId: number, first: number, last: number, extras: readonly EventExtra[], connection: Connection): Promise<VisitorEvents[]> {
    const rows = await eventsOfSpan(this.database, siteId, first, last, extras, connection)
    return byVisitor(await this.decode(rows, connection), rows)
  }

  /** Every visitor of a site with all events, one visitor after the other. */
  async *visitors(siteId: number): AsyncGenerator<VisitorEvents> {
    let rows: EventRow[] = []
    for await (const row of allEvents(this.database, siteId)) {
      const last = rows[rows.length - 1]
      if (rows.length >= ROWS_AT_ONCE && last && last.visitor_id !== row.visitor_id) {
        yield* byVisitor(await this.decode(rows), rows)
        rows = []
      }
      rows.push(row)
    }
    yield* byVisitor(await this.decode(rows), rows)
  }

  /** Turns rows into events, in the same order. */
  async decode(rows: EventRow[], connection: Connection = this.database.pool): Promise<StoredEvent[]> {
    const { names, addresses, rests, titles, referrers, tagSets, agents, places } = this.dictionaries
    const wanted = { name: new Set<number>(), address: new Set<number>(), rest: new Set<number>(), title: new Set<number>() }
    const rarer = { referrer: new Set<number>(), fired: new Set<number>(), agent: new Set<number>(), place: new Set<number>() }
    for (const row of rows) {
      wanted.name.add(row.name_id)
      wanted.address.add(row.address_id)
      if (row.rest_id !== null) wanted.rest.add(row.rest_id)
      if (row.title_id) wanted.title.add(row.title_id)
      if (row.referrer_id !== null) rarer.referrer.add(row.referrer_id)
      if (row.fired_id) rarer.fired.add(row.fired_id)
      if (row.agent_id) rarer.agent.add(row.agent_id)
      if (row.place_id) rarer.place.add(row.place_id)
    }
    // One after the other: a transaction has a single connection.
    const nameTexts = await names.textsOf(wanted.name, connection)
    const addressTexts = await addresses.textsOf(wanted.address, connection)
    const restTexts = await rests.textsOf(wanted.rest, connection)
    const titleTexts = await titles.textsOf(wanted.title, connection)
    const referrerTexts = await referrers.textsOf(rarer.referrer, connection)
    const firedTexts = await tagSets.textsOf(rarer.fired, connection)
    const agentTexts = await agents.textsOf(rarer.agent, connection)
    const placeTexts = await places.textsOf(rarer.place, connection)
    const placed = new Map([...placeTexts].map(([id, text]) => [id, placeFromText(text)]))
    return rows.map((row): StoredEvent => {
      const event: StoredEvent = {
        uid: row.uid,
        at: row.at,
        name: nameTexts.get(row.name_id) ?? '',
        url: (addressTexts.get(row.address_id) ?? '') + (row.rest_id === null ? '' : (restTexts.get(row.rest_id) ?? '')),
        addressId: row.address_id,
      }
      if (row.title_id) event.title = titleTexts.get(row.title_id) ?? null
      if (row.referrer_id !== null) event.referrer = referrerTexts.get(row.referrer_id) ?? null
      if (row.data) event.data = JSON.parse(row.data) as Record<string, string | number | boolean>
      if (row.value !== null) event.value = amountToNumber(row.value)
      if (row.currency !== null) event.currency = row.currency
      if (row.order_ref !== null) event.order = row.order_ref
      if (row.fired_id) event.fired = JSON.parse(firedTexts.get(row.fired_id) ?? '[]') as string[]
      if (row.agent_id) event.userAgent = agentTexts.get(row.agent_id)
      if (row.place_id) event.place = placed.get(row.place_id)
      return event
    })
  }
}

function byVisitor(events: StoredEvent[], rows: EventRow[]): VisitorEvents[] {
  const groups: VisitorEvents[] = []
  for (const [index, row] of rows.entries()) {
    let group = groups[groups.length - 1]
    if (group?.visitorId !== row.visitor_id) groups.push((group = { visitorId: row.visitor_id, events: [] }))
    group.events.push(events[index] as StoredEvent)
  }
  return groups
}
