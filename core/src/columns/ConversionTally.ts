import type { Range } from '../days/Range.js'
import type { Day } from '../days/zone.js'
import type { AfterSales } from '../goals/afterSales.js'
import type { BacktestPart, CountedOnce } from '../goals/Backtest.js'
import type { PreparedGoal } from '../goals/prepareGoal.js'
import { ValueSum } from '../goals/ValueSum.js'
import type { Columns } from './Columns.js'
import { pathOf } from './pathOf.js'
import type { DayFinder } from './dayFinder.js'
import { lastStartingBy } from './lastStartingBy.js'
import { QuickSum, SAFE } from './QuickSum.js'
import { plainWorth, worthReader, type WorthReader } from './worthReader.js'

/** Latest conversions that are kept as examples. */
const EXAMPLES = 20

/** Adds up conversions: their number, value and days, the visits that have one, and the latest of them. */
export class ConversionTally {
  private readonly worth: WorthReader
  private readonly plain: ((position: number) => number) | null
  /** The column of values where the goal takes them from it; null where all conversions are worth the same. */
  private readonly numbers: Float64Array | null
  /** Whether a conversion without a number of its own is worth anything. */
  private readonly always: boolean
  private readonly dayConversions: Float64Array
  /** Site money by day, as long as it stays exact; what would not, and what has no rate, is in the rest. */
  private readonly daySums: Float64Array
  private readonly dayRest: QuickSum[]
  private conversions = 0
  private converting = 0
  private lastVisit = -1
  private latest: [position: number, visit: number, sales: AfterSales | null][] = []
  /** Nothing up to this instant is among the latest any more. */
  private latestFrom = -Infinity

  constructor(
    private readonly columns: Columns,
    private readonly goal: PreparedGoal,
    private readonly range: Range,
    private readonly days: DayFinder,
  ) {
    this.worth = worthReader(columns, goal)
    this.plain = plainWorth(columns, goal)
    const read = goal.value.type === 'reading' ? goal.value.reading : null
    this.numbers = read === 'value' ? columns.value : null
    this.always = goal.value.type !== 'none' && (goal.amount !== 0 || (read !== null && read !== 'value'))
    this.dayConversions = new Float64Array(days.days.length)
    this.daySums = new Float64Array(days.days.length)
    this.dayRest = days.days.map(() => new QuickSum())
  }

  /**
   * Adds a conversion; those of one visit come one after the other.
   * @param day the number of its day in the range; -1 outside of it
   */
  add(position: number, visit: number, sales: AfterSales | null, day: number): void {
    const { range, columns } = this
    if (visit !== this.lastVisit) {
      this.lastVisit = visit
      const startedAt = columns.at[columns.visitStart[visit] as number] as number
      if (startedAt >= range.from && startedAt < range.to) this.converting++
    }
    if (day < 0) return
    this.conversions++
    this.dayConversions[day]!++
    this.addWorth(position, visit, sales, day)
    this.keepIfLate(position, visit, sales)
  }

  /** Adds that so many conversions came in one visit, all of it on one day of the range; what they are worth is added apart. */
  addCount(conversions: number, visit: number, day: number): void {
    this.lastVisit = visit
    this.converting++
    this.conversions += conversions
    this.dayConversions[day]! += conversions
  }

  /** Whether the event at a position, of an order that was left as it is, would add anything to the value. */
  isWorth(position: number): boolean {
    const { numbers } = this
    if (numbers === null) return this.always
    const number = numbers[position] as number
    // What has no number takes the goal's own amount.
    return Number.isNaN(number) ? this.always : number !== 0
  }

  /** Adds what a conversion is worth. */
  addWorth(position: number, visit: number, sales: AfterSales | null, day: number): void {
    const value = this.plain && !sales ? this.plain(position) : NaN
    if (value <= SAFE && value >= -SAFE) this.addPlain(value, day)
    else this.dayRest[day]!.addWorth(this.worth(position, visit, sales))
  }

  /** Whether the event at a position may still be among the latest. */
  isLate(position: number): boolean {
    return (this.columns.at[position] as number) > this.latestFrom
  }

  /** Site money that is exact as it is. */
  private addPlain(value: number, day: number): void {
    const sum = (this.daySums[day] as number) + value
    if (sum <= SAFE && sum >= -SAFE) this.daySums[day] = sum
    else {
      this.dayRest[day]!.add(this.daySums[day] as number)
      this.daySums[day] = value
    }
  }

  /** Keeps a conversion as an example while it is one of the latest. */
  keepIfLate(position: number, visit: number, sales: AfterSales | null): void {
    if (!this.isLate(position)) return
    this.latest.push([position, visit, sales])
    if (this.latest.length > 2000) this.cut()
  }

  result(): Pick<BacktestPart, 'counted' | 'conversions' | 'convertingVisits' | 'sum' | 'days'> {
    this.cut()
    const sum = new ValueSum()
    const days: BacktestPart['days'] = []
    for (const [index, rest] of this.dayRest.entries()) {
      rest.add(this.daySums[index] as number)
      sum.merge(rest.state())
      if (this.dayConversions[index]) days.push([this.days.days[index] as Day, this.dayConversions[index] as number, rest.state()])
    }
    return {
      counted: this.latest.map(([position, visit, sales]) => this.describe(position, visit, sales)),
      conversions: this.conversions,
      convertingVisits: this.converting,
      sum: sum.state(),
      days,
    }
  }

  private cut(): void {
    const { at } = this.columns
    this.latest = this.latest.sort((a, b) => (at[b[0]] as number) - (at[a[0]] as number)).slice(0, EXAMPLES)
    const last = this.latest[EXAMPLES - 1]
    if (last) this.latestFrom = at[last[0]] as number
  }

  private describe(position: number, visit: number, sales: AfterSales | null): CountedOnce {
    const { columns } = this
    const { at, texts } = columns
    const order = columns.order[position] as number
    return {
      at: at[position] as number,
      uid: texts.uids[columns.orderUid[position] as number] ?? '',
      order: this.goal.count === 'order' && order ? (texts.orders[order] as string) : null,
      visit: `${visit}`,
      visitAt: at[columns.visitStart[visit] as number] as number,
      visitor: `#${columns.visitorId[visitorOf(columns, visit)]}`,
      path: pathOf(columns, columns.address[position] as number),
      shownOrder: texts.orders[order] || null,
      ...this.worth(position, visit, sales),
    }
  }
}

/** The number of the visitor that a visit belongs to. */
export function visitorOf({ visitorStart, visitors }: Columns, visit: number): number {
  return lastStartingBy(visitorStart, visit, 0, visitors)
}
