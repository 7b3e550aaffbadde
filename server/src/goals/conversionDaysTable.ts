import type { Day } from '@acequia/core/days/zone'
import type { PoolConnection } from 'mysql2/promise'
import type { Database } from '../database/Database.js'
import { randomSlot } from '../visits/randomSlot.js'

interface Change {
  goalNo: number
  day: Day
  conversions: number
  /** Ten-thousandths of site money. */
  value: bigint
  unconverted: number
  visits: number
}

/** By how much the sums of conversions by day change in one transaction. */
export class DaySums {
  private readonly changes = new Map<string, Change>()

  /** One counted conversion more (1) or less (-1). @param value in site money, in ten-thousandths; null without a rate */
  conversion(goalNo: number, day: Day, value: number | string | null, by: 1 | -1): void {
    const change = this.of(goalNo, day)
    change.conversions += by
    if (value === null) change.unconverted += by
    else change.value += BigInt(value) * BigInt(by)
  }

  /** One visit with a conversion more or less. @param day of the visit's start */
  visit(goalNo: number, day: Day, by: 1 | -1): void {
    this.of(goalNo, day).visits += by
  }

  private of(goalNo: number, day: Day): Change {
    const key = `${goalNo} ${day}`
    let change = this.changes.get(key)
    if (!change) this.changes.set(key, (change = { goalNo, day, conversions: 0, value: 0n, unconverted: 0, visits: 0 }))
    return change
  }

  /** Adds them to a derivation's sums. */
  async write(database: Database, derivationNo: number, connection: PoolConnection): Promise<void> {
    const slot = randomSlot()
    const rows = [...this.changes.values()]
      .filter((change) => change.conversions || change.value || change.unconverted || change.visits)
      // Always in the same order, so that two workers cannot lock each other out.
      .sort((a, b) => a.goalNo - b.goalNo || (a.day < b.day ? -1 : 1))
      .map((change) => [derivationNo, change.goalNo, change.day, slot, change.conversions, String(change.value), change.unconverted, change.visits])
    if (!rows.length) return
    await database.run(
      `INSERT INTO conversion_days (derivation_no, goal_no, day, slot, conversions, value, unconverted, visits) VALUES ?
       ON DUPLICATE KEY UPDATE conversions = conversions + VALUES(conversions), value = value + VALUES(value),
         unconverted = unconverted + VALUES(unconverted), visits = visits + VALUES(visits)`,
      [rows],
      connection,
    )
  }
}

/** What a goal counted on one day. */
export interface ConversionDay {
  goal_no: number
  day: Day
  conversions: number
  /** Ten-thousandths of site money. */
  value: string
  /** How many of them have no rate and so add nothing to `value`. */
  unconverted: number
  /** Visits that start on that day and have a conversion at any time. */
  visits: number
}

/** What goals counted on whole days, from the sums. @param to the day after the last one */
export function conversionsOfDays(database: Database, derivationNo: number, goalNos: number[], from: Day, to: Day): Promise<ConversionDay[]> {
  if (!goalNos.length) return Promise.resolve([])
  const whole = (column: string): string => `CAST(SUM(${column}) AS SIGNED) AS ${column}`
  return database.rows<ConversionDay>(
    `SELECT goal_no, day, ${whole('conversions')}, CAST(SUM(value) AS CHAR) AS value, ${whole('unconverted')}, ${whole('visits')}
     FROM conversion_days WHERE derivation_no = ? AND goal_no IN (?) AND day >= ? AND day < ? GROUP BY goal_no, day ORDER BY goal_no, day`,
    [derivationNo, goalNos, from, to],
  )
}
