import { placeText } from '../events/Place.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { parseAmount } from '../money/Amount.js'
import type { Visit } from '../visits/deriveVisits.js'
import { anyNumbers, wholeNumbers, type GrowingList } from './GrowingList.js'
import { EVENT_COLUMNS, VISIT_COLUMNS, type Columns, type ColumnTexts } from './Columns.js'

/** Gives each text a small number. 0 is "none". */
class Texts {
  readonly list: string[] = ['']
  private readonly ids = new Map<string, number>()

  id(text: string | null | undefined): number {
    if (text === null || text === undefined || text === '') return 0
    let id = this.ids.get(text)
    if (id === undefined) {
      id = this.list.length
      this.list.push(text)
      this.ids.set(text, id)
    }
    return id
  }
}

/** Makes columns out of visits. Feed it every visitor once, in any order. */
export class ColumnBuilder {
  private readonly columns = Object.fromEntries([...EVENT_COLUMNS, ...VISIT_COLUMNS].map((name) => [name, wholeNumbers()])) as Record<
    (typeof EVENT_COLUMNS)[number] | (typeof VISIT_COLUMNS)[number],
    GrowingList<Uint32Array>
  >
  private readonly at = anyNumbers()
  private readonly value = anyNumbers()
  private readonly visitStart = wholeNumbers()
  private readonly visitorStart = wholeNumbers()
  private readonly visitorId = wholeNumbers()
  private readonly texts = {
    names: new Texts(),
    addresses: new Texts(),
    rests: new Texts(),
    titles: new Texts(),
    referrers: new Texts(),
    currencies: new Texts(),
    orders: new Texts(),
    data: new Texts(),
    fired: new Texts(),
    uids: new Texts(),
    agents: new Texts(),
    places: new Texts(),
    sources: new Texts(),
  }

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visitorId: number, visits: readonly Visit[]): void {
    this.visitorStart.push(this.visitStart.length)
    this.visitorId.push(visitorId)
    for (const { source, events } of visits) {
      this.visitStart.push(this.at.length)
      const [first] = events
      const place = first?.place
      this.columns.visitSource.push(this.texts.sources.id(JSON.stringify(source)))
      this.columns.visitAgent.push(this.texts.agents.id(first?.userAgent))
      this.columns.visitPlace.push(this.texts.places.id(place && placeText(place)))
      for (const event of events) this.addEvent(event)
    }
  }

  /** The columns. Do not add anything afterwards. */
  finish(): Columns {
    const [visits, visitors] = [this.visitStart.length, this.visitorId.length]
    this.visitStart.push(this.at.length)
    this.visitorStart.push(visits)
    const texts = Object.fromEntries(Object.entries(this.texts).map(([name, { list }]) => [name, list])) as unknown as ColumnTexts
    const rest = Object.fromEntries(Object.entries(this.columns).map(([name, column]) => [name, column.shared()])) as Pick<
      Columns,
      (typeof EVENT_COLUMNS)[number] | (typeof VISIT_COLUMNS)[number]
    >
    return {
      events: this.at.length,
      visits,
      visitors,
      ...rest,
      at: this.at.shared(),
      value: this.value.shared(),
      visitStart: this.visitStart.shared(),
      visitorStart: this.visitorStart.shared(),
      visitorId: this.visitorId.shared(),
      texts: { ...texts, sources: this.texts.sources.list.map((text) => JSON.parse(text || 'null') as Columns['texts']['sources'][number]) },
    }
  }

  private addEvent({ at, name, url, title, referrer, currency, order, data, fired, value, uid }: LoggedEvent): void {
    const end = url.search(/[?#]/)
    const { columns, texts } = this
    this.at.push(at)
    this.value.push(value === null || value === undefined ? NaN : (parseAmount(String(value)) ?? NaN))
    columns.name.push(texts.names.id(name))
    columns.address.push(texts.addresses.id(end < 0 ? url : url.slice(0, end)))
    columns.rest.push(end < 0 ? 0 : texts.rests.id(url.slice(end)))
    columns.title.push(texts.titles.id(title))
    columns.referrer.push(texts.referrers.id(referrer))
    columns.currency.push(texts.currencies.id(currency))
    columns.order.push(texts.orders.id(order))
    columns.data.push(data ? texts.data.id(JSON.stringify(data)) : 0)
    columns.fired.push(fired?.length ? texts.fired.id(JSON.stringify(fired)) : 0)
    columns.orderUid.push(order ? texts.uids.id(uid) : 0)
  }
}
