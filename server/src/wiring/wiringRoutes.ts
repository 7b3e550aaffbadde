import { createHash } from 'node:crypto'
import { Backtest } from '@acequia/core/goals/Backtest'
import { goalSchema } from '@acequia/core/goals/goalSchema'
import { prepareGoal } from '@acequia/core/goals/prepareGoal'
import { releaseErrors, type ReleaseDocument } from '@acequia/core/wiring/compileWiring'
import { eventNameOf } from '@acequia/core/wiring/eventNameOf'
import { wiringDifferences } from '@acequia/core/wiring/wiringDifferences'
import { EMPTY_WIRING, triggerSchema, wiringSchema, type Trigger, type Wiring } from '@acequia/core/wiring/wiringSchema'
import * as z from 'zod'
import { badInput, notFound, Problem } from '../api/Problem.js'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { allRecipes, channelsOfSite } from '../channels/channelsTable.js'
import type { Connection } from '../database/Database.js'
import type { Site } from '../sites/sitesTable.js'
import { draftOf, saveDraft } from './draftsTable.js'
import { insertRelease, releaseOf, releasesOfSite, type ReleaseRow } from './releasesTable.js'

const draftBody = wiringSchema.and(z.object({ revision: z.number().int().optional() }))
const importBody = z.object({ wiring: wiringSchema, apply: z.boolean().default(false), revision: z.number().int().optional() })
const nameBody = z.object({
  name: z.string().trim().min(1, 'Give the release a name, so that colleagues know what it brings.').max(200),
  note: z.string().max(5000).default(''),
})

/** The draft, its evidence, and releases. */
export function wiringRoutes({ database, recorded, loader }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/wiring',
      summary: 'The draft, with its differences from what is live',
      handle: ({ site }) => presentDraft(site),
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/wiring',
      summary: 'Save the draft; refused without the current revision',
      body: draftBody,
      handle: async ({ site, actor, body: { revision, ...wiring } }) => {
        await save(site, wiring, revision, actor.name)
        return presentDraft(site)
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/wiring:export',
      summary: 'The draft as a file that can be imported elsewhere',
      handle: async ({ site, response }) => {
        const { wiring } = await draftOf(database, site.id)
        response.attachment(`wiring-${site.key}.json`)
        return { acequiaWiring: 1, wiring, channels: (await channelsOfSite(database, site.id)).map(({ revision: _, ...channel }) => channel) }
      },
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/wiring:import',
      summary: 'Replace the draft by an exported wiring; dry unless `apply` is given: answers with what it would change',
      body: importBody,
      handle: async ({ site, actor, body }) => {
        const draft = await draftOf(database, site.id)
        const channels = await channelsOfSite(database, site.id)
        const changes = wiringDifferences(draft.wiring, body.wiring, channels, site.settings.currency)
        if (body.apply) await save(site, body.wiring, body.revision, actor.name)
        return { applied: body.apply, changes, revision: (await draftOf(database, site.id)).revision }
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/wiring:evidence',
      summary: 'How often each trigger of the draft would have fired in a range, by day',
      query: rangeQuery,
      handle: async ({ site, query }) => {
        const { wiring } = await draftOf(database, site.id)
        const tests = wiring.triggers.map((trigger) => ({ id: trigger.id, backtest: backtestOf(site, trigger, query) }))
        await recorded.each(site, ({ visitor, visits }) => {
          for (const { backtest } of tests) backtest.addVisitor(visitor, visits)
        })
        return tests.map(({ id, backtest }) => {
          const { conversions, daily } = backtest.result()
          return { id, events: conversions, daily: daily.map((entry) => ({ day: entry.day, events: entry.events })) }
        })
      },
    }),
    siteRoute('reader', {
      method: 'post',
      path: '/sites/{key}/wiring:test',
      summary: 'What recorded traffic says about one trigger; nothing is saved',
      body: z.object({ trigger: triggerSchema.partial({ id: true }), ...rangeQuery.shape }),
      handle: async ({ site, body }) => {
        const backtest = backtestOf(site, body.trigger, body)
        await recorded.each(site, ({ visitor, visits }) => backtest.addVisitor(visitor, visits))
        return backtest.result()
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/releases',
      summary: 'All releases, newest first; the first is live',
      handle: async ({ site }) => (await releasesOfSite(database, site.id)).map((row, index) => presentRelease(row, index === 0)),
    }),
    siteRoute('publisher', {
      method: 'post',
      path: '/sites/{key}/releases',
      summary: 'Put the draft live',
      body: nameBody,
      status: 201,
      handle: async ({ site, actor, body }) => {
        const number = await database.transaction(async (connection) => {
          const { wiring } = await draftOf(database, site.id, connection, true)
          const document = await documentOf(site, wiring, connection)
          return release(site, document, { ...body, released_by: actor.name, restores: null }, connection)
        })
        loader.forget()
        return find(site, number)
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/releases/{number}',
      summary: 'A release with its wiring, and what it changed',
      handle: ({ site, params }) => find(site, numberOf(params.number)),
    }),
    siteRoute('publisher', {
      method: 'post',
      path: '/sites/{key}/releases/{number}:restore',
      summary: 'Put an older release live again, as a new one, and make it the draft',
      handle: async ({ site, actor, params }) => {
        const number = await database.transaction(async (connection) => {
          await draftOf(database, site.id, connection, true)
          const old = await releaseOf(database, site.id, numberOf(params.number), connection)
          if (!old) throw notFound('release')
          await saveDraft(database, site.id, old.document.wiring, actor.name, connection)
          return release(
            site,
            old.document,
            { name: old.name, note: `Restores release ${old.number}.`, released_by: actor.name, restores: old.number },
            connection,
          )
        })
        loader.forget()
        return find(site, number)
      },
    }),
  ]

  async function save(site: Site, wiring: Wiring, revision: number | undefined, by: string): Promise<void> {
    await database.transaction(async (connection) => {
      const draft = await draftOf(database, site.id, connection, true)
      if (revision !== draft.revision) {
        throw new Problem('conflict', 'Somebody changed the draft in between; nothing of yours was saved.', {
          current: { revision: draft.revision, ...draft.wiring },
          yours: wiring,
        })
      }
      await saveDraft(database, site.id, wiring, by, connection)
    })
  }

  async function documentOf(site: Site, wiring: Wiring, connection: Connection): Promise<ReleaseDocument> {
    const used = new Set(wiring.tags.map((tag) => tag.does.channel))
    const channels = (await channelsOfSite(database, site.id, connection))
      .filter((channel) => used.has(channel.id))
      .map(({ revision: _, ...channel }) => channel)
    const needed = new Set(channels.map((channel) => channel.recipe))
    return { wiring, channels, recipes: (await allRecipes(database, connection)).filter((recipe) => needed.has(recipe.id)) }
  }

  async function release(
    site: Site,
    document: ReleaseDocument,
    about: Pick<ReleaseRow, 'name' | 'note' | 'released_by' | 'restores'>,
    connection: Connection,
  ): Promise<number> {
    const errors = releaseErrors(document)
    if (errors.length) throw badInput(errors)
    const text = JSON.stringify(document)
    const number = ((await releaseOf(database, site.id, undefined, connection))?.number ?? 0) + 1
    await insertRelease(database, site.id, { ...about, number, checksum: createHash('sha256').update(text).digest('hex') }, text, connection)
    return number
  }

  async function find(site: Site, number: number): Promise<object> {
    const found = await releaseOf(database, site.id, number)
    if (!found) throw notFound('release')
    const before = number > 1 ? await releaseOf(database, site.id, number - 1) : undefined
    const { document, ...row } = found
    const changes = wiringDifferences(
      before?.document.wiring ?? EMPTY_WIRING,
      document.wiring,
      [...document.channels, ...(before?.document.channels ?? [])],
      site.settings.currency,
    )
    return { ...presentRelease(row, (await releaseOf(database, site.id))?.number === number), ...document.wiring, channels: document.channels, changes }
  }

  async function presentDraft(site: Site): Promise<object> {
    const draft = await draftOf(database, site.id)
    const live = await releaseOf(database, site.id)
    const channels = await channelsOfSite(database, site.id)
    return {
      revision: draft.revision,
      ...draft.wiring,
      changedAt: draft.changedAt && new Date(draft.changedAt).toISOString(),
      changedBy: draft.changedBy,
      live: live?.number ?? null,
      changes: wiringDifferences(live?.document.wiring ?? EMPTY_WIRING, draft.wiring, channels, site.settings.currency),
      channelsChanged: live
        ? JSON.stringify(await documentOf(site, draft.wiring, database.pool)) !== JSON.stringify({ ...live.document, wiring: draft.wiring })
        : false,
    }
  }
}

function backtestOf(site: Site, trigger: Pick<Trigger, 'moment' | 'where'>, asked: { from: string; to: string }): Backtest {
  const range = rangeOn(site, asked)
  const goal = goalSchema.parse({ name: 'evidence', kind: { type: 'event', event: eventNameOf(trigger.moment), where: trigger.where }, count: 'every' })
  return new Backtest(prepareGoal(goal, site.settings), range, range.calendar)
}

function presentRelease(row: ReleaseRow, live: boolean): object {
  const { released_at, released_by, ...rest } = row
  return { ...rest, releasedAt: new Date(released_at).toISOString(), releasedBy: released_by, live }
}

function numberOf(text: string | undefined): number {
  if (!/^\d{1,9}$/.test(text ?? '')) throw notFound('release')
  return Number(text)
}
