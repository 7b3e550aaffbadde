import type { CountRule } from '@acequia/core/goals/goalSchema'
import type { Range } from '@acequia/core/days/Range'
import type { Day } from '@acequia/core/days/zone'
import { amountToNumber, amountToText } from '@acequia/core/money/Amount'
import type { Database } from '../database/Database.js'
import { conversionsOfDays, type ConversionDay } from './conversionDaysTable.js'
import { conversionsByDay, convertingVisitsByGoal, unconvertedByGoal } from './conversionsTable.js'

/** What was counted for one goal in a range. */
export interface GoalSummary {
  conversions: number
  /** Site money. */
  value: number
  /** Money without a rate, by currency; absent when there is none. */
  unconverted?: Record<string, string>
  /** Visits that start in the range with a conversion at any time. */
  convertingVisits: number
  /** Days with conversions only. */
  daily: { day: Day; conversions: number; value: number }[]
}

/** A range of whole days on the site's clock: from the first one to the day after the last. */
export interface WholeDays {
  first: Day
  end: Day
}

/**
 * What was counted for goals in a range, by goal number, from the derived conversions.
 * @param days the same range where it begins and ends with a day: then it is added up from the sums by day
 */
export async function summarizeGoals(
  database: Database,
  derivationNo: number,
  goals: { no: number; count: CountRule }[],
  range: Range,
  days: WholeDays | null,
): Promise<Map<number, GoalSummary>> {
  const goalNos = goals.map(({ no }) => no)
  const byDay = await (days
    ? conversionsOfDays(database, derivationNo, goalNos, days.first, days.end)
    : conversionsInside(database, derivationNo, goals, range))
  const without = await unconvertedByGoal(
    database,
    derivationNo,
    [...new Set(byDay.filter((row) => row.unconverted).map((row) => row.goal_no))],
    range.from,
    range.to,
  )
  return new Map(
    goalNos.map((no) => {
      const rows = byDay.filter((row) => row.goal_no === no)
      const unconverted = Object.fromEntries(without.filter((row) => row.goal_no === no).map((row) => [row.currency, amountToText(BigInt(row.amount))]))
      return [
        no,
        {
          conversions: rows.reduce((sum, row) => sum + row.conversions, 0),
          value: amountToNumber(rows.reduce((sum, row) => sum + BigInt(row.value), 0n)),
          ...(Object.keys(unconverted).length && { unconverted }),
          convertingVisits: rows.reduce((sum, row) => sum + row.visits, 0),
          daily: rows.filter((row) => row.conversions).map((row) => ({ day: row.day, conversions: row.conversions, value: amountToNumber(BigInt(row.value)) })),
        },
      ]
    }),
  )
}

/** The same rows where the range cuts through days, one conversion after the other; all converting visits in one row. */
async function conversionsInside(database: Database, derivationNo: number, goals: { no: number; count: CountRule }[], range: Range): Promise<ConversionDay[]> {
  const goalNos = goals.map(({ no }) => no)
  const [byDay, converting] = await Promise.all([
    conversionsByDay(database, derivationNo, goalNos, range.from, range.to),
    convertingVisitsByGoal(database, derivationNo, goals, range.from, range.to),
  ])
  return [
    ...byDay.map((row) => ({ ...row, visits: 0 })),
    ...converting.map((row) => ({ goal_no: row.goal_no, day: '', conversions: 0, value: '0', unconverted: 0, visits: row.n })),
  ]
}
