import { createHash } from 'node:crypto'
import type { Goal } from '@acequia/core/goals/goalSchema'
import type { ReleaseDocument } from '@acequia/core/wiring/compileWiring'
import { releaseErrors } from '@acequia/core/wiring/releaseErrors'
import { triggerTest } from '@acequia/core/wiring/triggerTest'
import { wiringDifferences, type DifferenceNames } from '@acequia/core/wiring/wiringDifferences'
import { EMPTY_WIRING, triggerSchema, wiringSchema, type Wiring } from '@acequia/core/wiring/wiringSchema'
import * as z from 'zod'
import { badInput, notFound, Problem } from '../api/Problem.js'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { channelsOfSite } from '../channels/channelsTable.js'
import type { Connection } from '../database/Database.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import type { Site } from '../sites/sitesTable.js'
import { documentOf } from './documentOf.js'
import { draftOf, saveDraft } from './draftsTable.js'
import { insertRelease, releaseOf, releasesOfSite, type ReleaseRow } from './releasesTable.js'
import { scriptErrors } from './scriptErrors.js'

const draftBody = wiringSchema.and(z.object({ revision: z.number().int().optional() }))
const importBody = z.object({ wiring: wiringSchema, apply: z.boolean().default(false), revision: z.number().int().optional() })
const nameBody = z.object({
  name: z.string().trim().min(1, 'Give the release a name, so that colleagues know what it brings.').max(200),
  note: z.string().max(5000).default(''),
})

/** The draft, its evidence, and releases. */
export function wiringRoutes({ columns, database, loader }: Services): Route[] {
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
      handle: async ({ site, actor, request, body: { revision, ...given } }) => {
        // What somebody does not speak of stays as it is.
        const { wiring: now } = await draftOf(database, site.id)
        const silentOn = (name: keyof Wiring): boolean => !(name in (request.body as object))
        const wiring = { ...given, ...(silentOn('readings') && { readings: now.readings }), ...(silentOn('relays') && { relays: now.relays }) }
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
        const errors = scriptErrors(body.wiring)
        if (errors.length) throw badInput(errors)
        const changes = wiringDifferences(draft.wiring, body.wiring, await namesOf(site))
        if (body.apply) await save(site, body.wiring, body.revision, actor.name)
        return { applied: body.apply, changes, revision: (await draftOf(database, site.id)).revision }
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/wiring:evidence',
      summary: 'How often each trigger of the draft happened in a range by day, by what was recorded, and how often each tag fired',
      query: rangeQuery,
      handle: async ({ site, query }) => {
        const { wiring } = await draftOf(database, site.id)
        const goals = await namedGoals(site)
        const range = rangeOn(site, query)
        const tests = wiring.triggers.flatMap((trigger) => {
          const test = triggerTest(site.settings, trigger, goals)
          return test ? [{ id: trigger.id, test }] : []
        })
        const count = await columns.fired(site, range)
        const triggers: object[] = []
        // One after the other: each takes all threads.
        for (const { id, test } of tests) {
          const { conversions, daily, addresses } = (await columns.backtest(site, test, range)).result()
          triggers.push({
            id,
            events: conversions,
            daily: daily.map((entry) => ({ day: entry.day, events: entry.conversions })),
            pages: addresses.map((entry) => entry.path),
          })
        }
        return {
          triggers,
          tags: [...count.tags].map(([id, { total, failed }]) => ({ id, fired: total, failed })),
        }
      },
    }),
    siteRoute('reader', {
      method: 'post',
      path: '/sites/{key}/wiring:test',
      summary: 'What recorded traffic says about one trigger; nothing is saved',
      body: z.object({ trigger: triggerSchema.partial({ id: true }), ...rangeQuery.shape }),
      handle: async ({ site, body }) => {
        const range = rangeOn(site, body)
        const test = triggerTest(site.settings, { ...body.trigger, id: body.trigger.id ?? '' }, await namedGoals(site))
        if (!test) throw badInput([{ path: 'trigger.moment', message: 'The goal it waits for does not exist; choose another one.' }])
        const result = (await columns.backtest(site, test, range)).result()
        return { ...result, examples: await columns.named(result.examples) }
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/readings:latest',
      summary: 'The latest different texts of the own readings of the draft',
      handle: async ({ site }) => {
        const { wiring } = await draftOf(database, site.id)
        const latest = await columns.latest(
          site,
          wiring.readings.map(({ name }) => `own.${name}`),
        )
        return wiring.readings.map(({ name }, index) => ({ name, values: latest[index] }))
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
          const document = await documentOf(database, site.id, wiring, connection)
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
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/releases:compare',
      summary: 'What changed from one release to another, in sentences; `to=draft` compares with the draft, `from=0` with nothing',
      query: z.object({ from: z.coerce.number().int().min(0), to: z.union([z.literal('draft'), z.coerce.number().int().min(1)]) }),
      handle: async ({ site, query }) => {
        const names = await namesOf(site)
        const documentAt = async (number: number): Promise<ReleaseDocument> => {
          const found = await releaseOf(database, site.id, number)
          if (!found) throw notFound('release')
          return found.document
        }
        const before = query.from ? await documentAt(query.from) : undefined
        const after = query.to === 'draft' ? undefined : await documentAt(query.to)
        const wiring = after?.wiring ?? (await draftOf(database, site.id)).wiring
        const channels = [...names.channels, ...(after?.channels ?? []), ...(before?.channels ?? [])]
        return { changes: wiringDifferences(before?.wiring ?? EMPTY_WIRING, wiring, { ...names, channels }) }
      },
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
    const errors = scriptErrors(wiring)
    if (errors.length) throw badInput(errors)
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

  async function release(
    site: Site,
    document: ReleaseDocument,
    about: Pick<ReleaseRow, 'name' | 'note' | 'released_by' | 'restores'>,
    connection: Connection,
  ): Promise<number> {
    const errors = [...releaseErrors(document, await namedGoals(site), site.settings.scriptHosts), ...scriptErrors(document.wiring)]
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
    const changes = wiringDifferences(before?.document.wiring ?? EMPTY_WIRING, document.wiring, {
      ...(await namesOf(site)),
      channels: [...document.channels, ...(before?.document.channels ?? [])],
    })
    return { ...presentRelease(row, (await releaseOf(database, site.id))?.number === number), ...document.wiring, channels: document.channels, changes }
  }

  async function namedGoals(site: Site): Promise<{ id: string; name: string; goal: Goal }[]> {
    return (await goalsOfSites(database, [site.id])).map(({ id, goal }) => ({ id, name: goal.name, goal }))
  }

  async function namesOf(site: Site): Promise<DifferenceNames> {
    return { channels: await channelsOfSite(database, site.id), currency: site.settings.currency, goals: await namedGoals(site) }
  }

  async function presentDraft(site: Site): Promise<object> {
    const draft = await draftOf(database, site.id)
    const live = await releaseOf(database, site.id)
    return {
      revision: draft.revision,
      ...draft.wiring,
      changedAt: draft.changedAt && new Date(draft.changedAt).toISOString(),
      changedBy: draft.changedBy,
      live: live?.number ?? null,
      changes: wiringDifferences(live?.document.wiring ?? EMPTY_WIRING, draft.wiring, await namesOf(site)),
      channelsChanged: live
        ? JSON.stringify(await documentOf(database, site.id, draft.wiring, database.pool)) !== JSON.stringify({ ...live.document, wiring: draft.wiring })
        : false,
    }
  }
}

function presentRelease(row: ReleaseRow, live: boolean): object {
  const { released_at, released_by, ...rest } = row
  return { ...rest, releasedAt: new Date(released_at).toISOString(), releasedBy: released_by, live }
}

function numberOf(text: string | undefined): number {
  if (!/^\d{1,9}$/.test(text ?? '')) throw notFound('release')
  return Number(text)
}
