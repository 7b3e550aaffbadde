import { visitDimension, type Dimension, type DimensionValue } from '../dimensions/dimensions.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { placeFromText } from '../events/Place.js'
import type { Range } from '../days/Range.js'
import type { Calendar } from '../days/zone.js'
import { BACK_MS, type FunnelPart } from '../funnels/FunnelRun.js'
import { FunnelTally, splitKey, type FunnelState } from '../funnels/FunnelTally.js'
import type { Funnel } from '../funnels/funnelSchema.js'
import { newWalk, shapeOf, walkFunnel, type Track } from '../funnels/walkFunnel.js'
import type { VisitSource } from '../sources/sourceOf.js'
import { prepareRule } from '../rules/prepareRule.js'
import { columnRule, type ColumnCursor, type ColumnPredicate } from './columnRule.js'
import { anyNumbers } from './GrowingList.js'
import { lastStartingBy } from './lastStartingBy.js'
import { passOfAddresses } from './passOfAddresses.js'
import { pathOf } from './pathOf.js'
import type { ColumnPart, Columns } from './Columns.js'

const DAY_MS = 86_400_000

/** Runs a funnel over a part of a site's columns; the same walk as over visits, by the same function. */
export function columnFunnel(
  columns: Columns,
  part: ColumnPart,
  funnel: Funnel,
  range: Range,
  calendar: Calendar,
  split?: Dimension,
  returns = false,
): FunnelPart {
  const { at, name, address, visitStart, visitorStart } = columns
  const cursor: ColumnCursor = { visit: 0 }
  const pageView = columns.texts.names.indexOf('page-view')
  const names = funnel.steps.map((step) => columns.texts.names.indexOf(step.event))
  const rules = funnel.steps.map((step): ColumnPredicate => columnRule(prepareRule(step.where), columns, cursor))
  const visitOfSource = funnel.steps.some((step) => step.where.any.some(({ all }) => all.some(({ reading }) => /^(source|medium|campaign)$/.test(reading))))
  const visitorScope = funnel.scope === 'visit' ? null : funnel.scope.visitorDays * DAY_MS
  // Of a rule that asks for addresses alone, each step is a bit of a mask by address.
  const mask = new Uint16Array(columns.texts.addresses.length)
  const asked = funnel.steps.map((step, index): ColumnPredicate | null => {
    const pass = passOfAddresses(prepareRule(step.where), columns)
    if (!pass) {
      const rule = rules[index] as ColumnPredicate
      if (!visitOfSource) return rule
      return (position) => {
        cursor.visit = visitAt(position)
        return rule(position)
      }
    }
    for (let id = 0; id < pass.length; id++) if (pass[id]) mask[id]! |= 1 << index
    return null
  })
  const track = new ColumnTrack(
    columns,
    pageView,
    Uint32Array.from(names, (id) => (id < 0 ? NOWHERE : id)),
    mask,
    asked,
  )
  const shape = shapeOf(funnel)
  const joins = funnel.entry === 'first' && !asked[0]
  const firstName = names[0]
  const end = funnel.steps.length - 1
  const entered = new Array<number>(end + 1).fill(0)
  const reached = new Array<number>(end + 1).fill(0)
  const cameBack = new Array<number>(end + 1).fill(0)
  const times = funnel.steps.map(() => anyNumbers())
  const leftTo = funnel.steps.map(() => new Uint32Array(columns.texts.addresses.length))
  const leftSite = new Array<number>(end + 1).fill(0)
  const parts = new Map<string, { key: DimensionValue; tally: FunnelTally }>()
  const walk = newWalk()
  const met = walk.positions
  const stepNames = funnel.steps.map(() => '')
  const keyOf = split && splitter(columns, split, calendar)
  let visitFrom = 0
  let visitTo = 0

  /** The visit of a position, among those of the visitor in hand. */
  function visitAt(position: number): number {
    return lastStartingBy(visitStart, position, visitFrom, visitTo)
  }

  /** @param visit the visit of the last step met; -1 where that is still to be found */
  function note(visit: number, eventsEnd: number): void {
    const { first, length } = walk
    const joined = met[0] as number
    const joinedAt = at[joined] as number
    if (joinedAt < range.from || joinedAt >= range.to) return
    const last = first + length - 1
    entered[first]!++
    for (let step = first; step <= last; step++) reached[step]!++
    for (let index = 1; index < length; index++) times[first + index - 1]!.push((at[met[index] as number] as number) - (at[met[index - 1] as number] as number))
    let back = false
    let next = -1
    if (last < end) {
      const position = met[length - 1] as number
      const visitEnd = visitStart[(visit < 0 ? visitAt(position) : visit) + 1] as number
      next = position + 1
      while (next < visitEnd && name[next] !== pageView) next++
      if (next < visitEnd) leftTo[last]![address[next] as number]!++
      else {
        leftSite[last]!++
        next = -1
      }
      if (returns && visitorScope === null && visitEnd < eventsEnd) {
        let step = last + 1
        for (let later = visitEnd; later < eventsEnd && (at[later] as number) <= joinedAt + BACK_MS; later++) {
          if (!track.meets(step, later) || ++step <= end) continue
          back = true
          break
        }
      }
      if (back) cameBack[last]!++
    }
    if (!keyOf) return
    const key = keyOf(visitAt(joined), joined)
    const text = splitKey(key)
    let entry = parts.get(text)
    if (!entry) parts.set(text, (entry = { key, tally: new FunnelTally(stepNames) }))
    const spans = [...met.subarray(1, length)].map((position, index) => (at[position] as number) - (at[met[index] as number] as number))
    entry.tally.add(first, spans, next < 0 ? null : pathOf(columns, address[next] as number), back)
  }

  for (let visitor = part.from; visitor < part.to; visitor++) {
    if (part.skip?.[visitor]) continue
    visitFrom = visitorStart[visitor] as number
    visitTo = visitorStart[visitor + 1] as number
    const to = visitStart[visitTo] as number
    if (visitorScope !== null) {
      let begin = visitStart[visitFrom] as number
      while (begin < to && (at[begin] as number) < range.from) begin++
      // From the end: most visitors have nothing after the range.
      let joinBefore = to
      while (joinBefore > begin && (at[joinBefore - 1] as number) >= range.to) joinBefore--
      if (walkFunnel(track, shape, begin, joinBefore, to, (joined) => (at[joined] as number) + visitorScope, walk)) note(-1, to)
      continue
    }
    for (let visit = visitFrom; visit < visitTo; visit++) {
      let start = visitStart[visit] as number
      const stop = visitStart[visit + 1] as number
      if ((at[start] as number) >= range.to || (at[stop - 1] as number) < range.from) continue
      // Most visits meet no step of most funnels: they are passed over without a call.
      if (joins) while (start < stop && !(name[start] === firstName && ((mask[address[start] as number] as number) & 1) === 1)) start++
      if (start < stop && walkFunnel(track, shape, start, stop, stop, null, walk)) note(visit, to)
    }
  }
  const all: FunnelState = {
    entered,
    reached,
    cameBack,
    times: times.map((each) => each.list()),
    leftTo: leftTo.map((counts, step) => {
      const pages = new Map<string | null, number>()
      for (const [id, count] of counts.entries()) {
        if (!count) continue
        const path = pathOf(columns, id)
        pages.set(path, (pages.get(path) ?? 0) + count)
      }
      if (leftSite[step]) pages.set(null, leftSite[step] as number)
      return [...pages]
    }),
  }
  return { all, parts: [...parts.values()].map(({ key, tally }) => ({ key, state: tally.state() })) }
}

/** No event has this name. */
const NOWHERE = 0xffffffff

/** Columns as a funnel sees them. A class, so that the one loop that asks it is compiled for it. */
class ColumnTrack implements Track {
  private readonly times: Float64Array
  private readonly name: Uint32Array
  private readonly address: Uint32Array

  constructor(
    { at, name, address }: Columns,
    private readonly pageView: number,
    private readonly names: Uint32Array,
    private readonly mask: Uint16Array,
    private readonly asked: (ColumnPredicate | null)[],
  ) {
    this.times = at
    this.name = name
    this.address = address
  }

  at(position: number): number {
    return this.times[position] as number
  }

  isPageView(position: number): boolean {
    return this.name[position] === this.pageView
  }

  meets(step: number, position: number): boolean {
    if (this.name[position] !== this.names[step]) return false
    const ask = this.asked[step]
    return ask ? ask(position) : (((this.mask[this.address[position] as number] as number) >> step) & 1) === 1
  }
}

/**
 * Gives the value of a dimension for a visit: `visitDimension` decides, over a visit of just the event that
 * matters. Only first and last page are looked for here, so that not every event of a visit is made up.
 */
function splitter(columns: Columns, dimension: Dimension, calendar: Calendar): (visit: number, joined: number) => DimensionValue {
  const { texts, at, name, address, visitStart } = columns
  if (dimension === 'landing' || dimension === 'exit') {
    const pageView = texts.names.indexOf('page-view')
    return (visit) => {
      const [from, to] = [visitStart[visit] as number, visitStart[visit + 1] as number]
      for (let step = 0; step < to - from; step++) {
        const position = dimension === 'landing' ? from + step : to - 1 - step
        if (name[position] === pageView) return pathOf(columns, address[position] as number)
      }
      return null
    }
  }
  const places = texts.places.map((text) => (text ? placeFromText(text) : undefined))
  return (visit, joined) => {
    const startedAt = at[visitStart[visit] as number] as number
    const event: LoggedEvent = {
      uid: '',
      at: startedAt,
      name: '',
      url: texts.addresses[address[joined] as number] as string,
      userAgent: texts.agents[columns.visitAgent[visit] as number],
      place: places[columns.visitPlace[visit] as number],
    }
    const source = texts.sources[columns.visitSource[visit] as number] as VisitSource
    return visitDimension(dimension, { startedAt, endedAt: startedAt, source, events: [event] }, calendar)
  }
}
