import type { Database } from '../database/Database.js'
import { derivationsOfSites, readDefinition, type Derivation } from '../visits/derivationsTable.js'
import { visitorsLeft } from '../visits/partsTable.js'

/** How far a goal's recount is, in visitors. While it runs, figures are those of before. */
export interface Recount {
  state: 'running' | 'done'
  done: number
  total: number
}

/** Tells how far the recount of a goal is, by the goal's number. */
export type Recounts = (goalNo: number) => Recount

/** The recounts of a site's goals, as of now. */
export async function recountsOf(database: Database, siteId: number): Promise<Recounts> {
  const derivations = await derivationsOfSites(database, [siteId])
  const [shown, filling] = (['shown', 'filling'] as const).map((state) => derivations.find((each) => each.state === state))
  const done: Recount = { state: 'done', done: shown?.total ?? 0, total: shown?.total ?? 0 }
  if (!filling) return () => done
  const total = filling.total ?? 0
  const left = filling.total === null ? 0 : await visitorsLeft(database, filling.no)
  const running: Recount = { state: 'running', done: Math.max(0, total - left), total }
  const [before, after] = [shown, filling].map((each) => (each ? textsOf(each) : null))
  return (goalNo) => (before && after && before.settings === after.settings && before.goals.get(goalNo) === after.goals.get(goalNo) ? done : running)
}

function textsOf({ definition }: Derivation): { settings: string; goals: Map<number, string> } {
  const { settings, goals } = readDefinition(definition)
  return { settings: JSON.stringify(settings), goals: new Map(goals.map(({ no, goal }) => [no, JSON.stringify(goal)])) }
}
