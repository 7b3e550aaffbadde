import type { CountRule } from '@acequia/core/goals/goalSchema'
import type { Range } from '@acequia/core/days/Range'
import type { Day } from '@acequia/core/days/zone'
import { amountToNumber, amountToText } from '@acequia/core/money/Amount'
import type { Database } from '../database/Database.js'
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

/** What was counted for goals in a range, by goal number, from the derived conversions. */
export async function summarizeGoals(
  database: Database,
  derivationNo: number,
  goals: { no: number; count: CountRule }[],
  range: Range,
): Promise<Map<number, GoalSummary>> {
  const goalNos = goals.map(({ no }) => no)
  const [byDay, converting, without] = await Promise.all([
    conversionsByDay(database, derivationNo, goalNos, range.from, range.to),
    convertingVisitsByGoal(database, derivationNo, goals, range.from, range.to),
    unconvertedByGoal(database, derivationNo, goalNos, range.from, range.to),
  ])
  return new Map(
    goalNos.map((no) => {
      const days = byDay.filter((row) => row.goal_no === no)
      const unconverted = Object.fromEntries(without.filter((row) => row.goal_no === no).map((row) => [row.currency, amountToText(BigInt(row.amount))]))
      return [
        no,
        {
          conversions: days.reduce((sum, row) => sum + row.n, 0),
          value: amountToNumber(days.reduce((sum, row) => sum + BigInt(row.value ?? 0), 0n)),
          ...(Object.keys(unconverted).length && { unconverted }),
          convertingVisits: converting.find((row) => row.goal_no === no)?.n ?? 0,
          daily: days.map((row) => ({ day: row.day, conversions: row.n, value: amountToNumber(BigInt(row.value ?? 0)) })),
        },
      ]
    }),
  )
}
