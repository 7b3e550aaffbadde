import type { BacktestResult } from '@acequia/core/goals/Backtest'
import type { Goal } from '@acequia/core/goals/goalSchema'

/** A goal as the API gives it. */
export type GoalAnswer = Goal & {
  id: string
  revision: number
  createdAt: string
  changedAt: string
  archivedAt: string | null
  recount: { state: 'running' | 'done'; done: number; total: number }
}

/** A backtest as the API gives it: also which saved goals count just the same. */
export type BacktestAnswer = BacktestResult & { sameAs: { id: string; name: string }[] }

/** What a range of days counted for one goal, as *Today* and the list get it. */
export interface GoalFigures {
  id: string
  name: string
  category: string
  archived: boolean
  conversions: number
  value: number
  unconverted?: Record<string, string>
  convertingVisits: number
  rate: number | null
  daily: { day: string; conversions: number; value: number }[]
  before: { conversions: number; value: number; rate: number | null }
}

/** The answer of the overview. */
export interface Overview {
  visits: number
  visitsBefore: number
  before: { from: string; to: string }
  daily: { day: string; visits: number }[]
  goals: GoalFigures[]
  releases: { number: number; name: string; at: string }[]
  latest: (import('../app/live').LiveConversion & { visitor: string })[]
}

/** A goal to begin with. */
export const NEW_GOAL: Goal = {
  name: '',
  category: 'other',
  kind: { type: 'page', where: { any: [{ all: [{ reading: 'path', op: 'is', value: '', not: false, caseSensitive: false }] }] } },
  count: 'visit',
  value: { type: 'none' },
  path: [],
}
