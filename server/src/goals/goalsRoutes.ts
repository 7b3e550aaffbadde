import { SERIES_UNITS } from '@acequia/core/goals/reportSpans'
import { GoalSuggestions } from '@acequia/core/goals/GoalSuggestions'
import type { Range } from '@acequia/core/days/Range'
import { goalSchema, type Goal } from '@acequia/core/goals/goalSchema'
import { prepareGoal } from '@acequia/core/goals/prepareGoal'
import { stringify } from 'csv-stringify/sync'
import { nanoid } from 'nanoid'
import * as z from 'zod'
import { notFound, Problem } from '../api/Problem.js'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import type { Site } from '../sites/sitesTable.js'
import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import { beginDerivation, shownDerivation } from '../visits/derivationsTable.js'
import { countedUids, listConversions } from './conversionsTable.js'
import { archiveGoal, deleteGoal, goalById, goalsOfSites, insertGoal, updateGoal, versionsOfGoal, type StoredGoal } from './goalsTable.js'
import { recountsOf, type Recounts } from './recountsOf.js'
import { presentConversions } from './presentConversions.js'
import { draftOf } from '../wiring/draftsTable.js'
import { releaseOf } from '../wiring/releasesTable.js'

const CONVERSION_COLUMNS = ['at', 'visitor', 'value', 'currency', 'order', 'path', 'source', 'medium', 'campaign'] as const

/** With more conversions than this, goals are not compared. */
const MOST_COMPARED = 20_000

/** Goals: what is counted, backtests, and the conversions themselves. */
export function goalsRoutes({ columns, database, reads, dictionaries, deriver, loader }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/goals',
      summary: 'The goals of a site',
      handle: async ({ site }) => {
        const recounts = await recountsOf(database, site.id)
        return (await goalsOfSites(database, [site.id])).map((stored) => present(stored, recounts))
      },
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/goals',
      summary: 'Add a goal; it is counted over all history',
      body: goalSchema,
      status: 201,
      handle: async ({ site, actor, body }) => {
        const id = nanoid(12)
        await database.transaction(async (connection) => {
          await insertGoal(database, site.id, id, body, actor.name, connection)
          await beginDerivation(database, site.id, connection)
        })
        deriver.nudge()
        loader.forget()
        return presentNow(await find(site, id))
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/goals:suggest',
      summary: 'Goals that recorded traffic suggests, with the reason',
      query: rangeQuery,
      handle: async ({ site, query }) => {
        const range = rangeOn(site, query)
        const suggestions = new GoalSuggestions(range.from, range.to)
        await columns.each(site, range, ({ visits }) => suggestions.addVisitor(visits))
        return suggestions.result()
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/goals/{id}/versions',
      summary: 'Everything the goal ever was, oldest first',
      handle: async ({ site, params }) =>
        (await versionsOfGoal(database, (await find(site, params.id)).no)).map(({ goal, changedAt, ...rest }) => ({
          ...rest,
          changedAt: new Date(changedAt).toISOString(),
          goal,
        })),
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/goals/{id}/report',
      summary: 'A goal in a range: its series, by what its conversions are told apart, the pages before, and how long it took',
      query: rangeQuery.extend({ unit: z.enum(SERIES_UNITS).default('day') }),
      handle: async ({ site, params, query }) => {
        const { goal } = await find(site, params.id)
        return columns.goalReport(site, prepareGoal(goal, site.settings), rangeOn(site, query), query.unit)
      },
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/goals/{id}:archive',
      summary: 'Put a goal away, or take it back into use; it goes on counting',
      body: z.object({ archived: z.boolean() }),
      handle: async ({ site, params, body }) => {
        await archiveGoal(database, (await find(site, params.id)).no, body.archived)
        return presentNow(await find(site, params.id))
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/goals/{id}',
      summary: 'A goal, with the state of its recount',
      handle: async ({ site, params }) => presentNow(await find(site, params.id)),
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/goals/{id}',
      summary: 'Change a goal; it is recounted over all history. With a revision, only if nobody else did in between',
      body: goalSchema.extend({ revision: z.number().int().optional() }),
      handle: async ({ site, actor, params, body: { revision, ...goal } }) => {
        await database.transaction(async (connection) => {
          const stored = await goalById(database, site.id, String(params.id), connection, true)
          if (!stored) throw notFound('goal')
          if (revision !== undefined && revision !== stored.revision) {
            throw new Problem('conflict', 'Somebody saved this goal while you were changing it; nothing of yours was saved.', {
              current: present(stored, await recountsOf(database, site.id)),
            })
          }
          await updateGoal(database, stored.no, goal, actor.name, connection)
          if (countsDifferently(goal, stored.goal)) await beginDerivation(database, site.id, connection)
        })
        deriver.nudge()
        loader.forget()
        return presentNow(await find(site, params.id))
      },
    }),
    siteRoute('editor', {
      method: 'delete',
      path: '/sites/{key}/goals/{id}',
      summary: 'Remove a goal and its conversions; the events stay',
      handle: async ({ site, params }) => {
        const stored = await find(site, params.id)
        const [draft, live] = await Promise.all([draftOf(database, site.id), releaseOf(database, site.id)])
        const waits = (wiring: Wiring | undefined): boolean => !!wiring?.triggers.some(({ moment }) => moment.type === 'goal' && moment.goal === stored.id)
        if (waits(draft.wiring) || waits(live?.document.wiring))
          throw new Problem('in-use', `A trigger of the wiring waits for "${stored.goal.name}". Remove it from the draft and release that first.`)
        await database.transaction((connection) => deleteGoal(database, stored, connection))
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/goals/{id}/conversions',
      summary: 'The conversions of a goal, oldest first; CSV with Accept: text/csv',
      query: rangeQuery,
      handle: async ({ site, params, query, request, response }) => {
        const stored = await find(site, params.id)
        const { from, to } = rangeOn(site, query)
        const conversions = await presentConversions(dictionaries, await listConversions(reads, await shownDerivation(reads, site.id), stored.no, from, to))
        if (request.accepts(['json', 'csv']) !== 'csv') return conversions
        // Cells that a spreadsheet would run as formulas are put behind a quote.
        response
          .type('text/csv')
          .send(stringify(conversions, { header: true, columns: [...CONVERSION_COLUMNS], escape_formulas: true, record_delimiter: 'windows' }))
        return undefined
      },
    }),
    siteRoute('reader', {
      method: 'post',
      path: '/sites/{key}/goals:backtest',
      summary: 'What a goal would have counted, had it always been so; nothing is saved',
      body: z.object({
        goal: z.union([z.string().max(40), goalSchema.extend({ name: z.string().max(200).default('') })]),
        except: z.string().max(40).optional(),
        ...rangeQuery.shape,
      }),
      handle: async ({ site, body }) => {
        const goal = typeof body.goal === 'string' ? (await find(site, body.goal)).goal : body.goal
        const range = rangeOn(site, body)
        const backtest = await columns.backtest(site, prepareGoal(goal, site.settings), range)
        const uids = backtest.countedUids()
        const others = (await goalsOfSites(database, [site.id])).filter((each) => each.id !== body.except && each.id !== body.goal)
        const result = backtest.result()
        return { ...result, examples: await columns.named(result.examples), sameAs: await countTheSame(site, others, uids, range) }
      },
    }),
  ]

  /** Goals that counted just these events in a range. */
  async function countTheSame(site: Site, goals: readonly StoredGoal[], uids: ReadonlySet<string>, range: Range): Promise<{ id: string; name: string }[]> {
    if (!uids.size || uids.size > MOST_COMPARED) return []
    const counted = await countedUids(
      reads,
      await shownDerivation(reads, site.id),
      goals.map((goal) => goal.no),
      range.from,
      range.to,
      MOST_COMPARED,
    )
    return goals
      .filter(({ no }) => counted.get(no)?.size === uids.size && [...uids].every((uid) => counted.get(no)?.has(uid)))
      .map(({ id, goal }) => ({ id, name: goal.name }))
  }

  async function find(site: Site, id: string | undefined): Promise<StoredGoal> {
    const stored = await goalById(database, site.id, String(id))
    if (!stored) throw notFound('goal')
    return stored
  }

  async function presentNow(stored: StoredGoal): Promise<Record<string, unknown>> {
    return present(stored, await recountsOf(database, stored.siteId))
  }
}

function present(stored: StoredGoal, recounts: Recounts): Record<string, unknown> {
  return {
    id: stored.id,
    ...stored.goal,
    revision: stored.revision,
    createdAt: new Date(stored.createdAt).toISOString(),
    changedAt: new Date(stored.changedAt).toISOString(),
    archivedAt: stored.archivedAt === null ? null : new Date(stored.archivedAt).toISOString(),
    recount: recounts(stored.no),
  }
}

function countsDifferently(one: Goal, other: Goal): boolean {
  const counting = ({ kind, count, value, path }: Goal): string => JSON.stringify({ kind, count, value, path })
  return counting(one) !== counting(other)
}
