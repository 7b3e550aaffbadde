import { isDay } from '@acequia/core/days/zone'
import { channelSchema, type Channel } from '@acequia/core/recipes/channelSchema'
import { idErrors } from '@acequia/core/recipes/idErrors'
import { recipeSchema, scriptHostsOf } from '@acequia/core/recipes/recipeSchema'
import { patternError } from '@acequia/core/rules/pattern'
import { hostIsListed } from '@acequia/core/sites/hosts'
import { nanoid } from 'nanoid'
import * as z from 'zod'
import { badInput, notFound, Problem } from '../api/Problem.js'
import { openRoute, siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { siteForUpdate, updateSite, type Site } from '../sites/sitesTable.js'
import { draftOf } from '../wiring/draftsTable.js'
import { saveClaims } from './claimsTable.js'
import { channelActivity } from './channelActivity.js'
import { channelsOfSite, deleteChannel, deleteRecipe, insertChannel, recipesOfSite, saveRecipe, updateChannel } from './channelsTable.js'

/** Channels of a site, and the recipes that say how a kind of channel is called. */
export function channelsRoutes(services: Services): Route[] {
  const { database, people, sites } = services
  return [
    openRoute({
      method: 'get',
      path: '/recipe.schema.json',
      summary: 'The JSON Schema of recipes',
      handle: () => Promise.resolve(recipeJsonSchema()),
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/recipes',
      summary: 'The recipes of a site',
      handle: ({ site }) => recipesOfSite(database, site.id),
    }),
    siteRoute('publisher', {
      method: 'post',
      path: '/sites/{key}/recipes',
      summary: 'Add a recipe, or replace the one with the same id; `allow=yes` lets it load scripts from hosts that are not on the list yet',
      query: z.object({ allow: z.enum(['yes', 'no']).default('no') }),
      body: recipeSchema,
      status: 201,
      handle: async ({ site, body, query, actor }) => {
        const errors = body.ids.flatMap(({ pattern }, index) => {
          const message = patternError(pattern)
          return message ? [{ path: `ids.${index}.pattern`, message }] : []
        })
        if (errors.length) throw badInput(errors)
        const foreign = scriptHostsOf(body).filter((host) => !hostIsListed(host, site.settings.scriptHosts))
        if (foreign.length && query.allow !== 'yes')
          throw new Problem(
            'ask-first',
            `${body.name} loads scripts from ${foreign.join(', ')} onto every page that uses it. They can do there whatever the page itself can.`,
            {
              hosts: foreign,
            },
          )
        if (foreign.length && (await people.roleOn(site.id, actor)) !== 'owner')
          throw new Problem('forbidden', `Only an owner of the site can allow scripts from ${foreign.join(', ')}.`)
        await database.transaction(async (connection) => {
          if (foreign.length) {
            const locked = (await siteForUpdate(database, site.key, connection)) as Site
            await updateSite(database, site.id, { ...locked.settings, scriptHosts: [...locked.settings.scriptHosts, ...foreign] }, connection)
          }
          await saveRecipe(database, site.id, body, connection)
        })
        sites.forget()
        return body
      },
    }),
    siteRoute('publisher', {
      method: 'delete',
      path: '/sites/{key}/recipes/{id}',
      summary: 'Remove a recipe that no channel uses',
      handle: async ({ site, params }) => {
        const using = (await channelsOfSite(database, site.id)).filter((channel) => channel.recipe === params.id).map((channel) => channel.name)
        if (using.length) throw new Problem('in-use', `These channels use it: ${using.join(', ')}. Remove them first.`)
        if (!(await deleteRecipe(database, site.id, String(params.id)))) throw notFound('recipe')
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/channels',
      summary: 'The channels of a site',
      handle: ({ site }) => channelsOfSite(database, site.id),
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/channels:activity',
      summary: 'What each channel was told today and in the last 28 days, and when last',
      handle: ({ site }) => channelActivity(services, site),
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/channels',
      summary: 'Add a channel',
      body: channelSchema,
      status: 201,
      handle: async ({ site, body }) => {
        const channel = { ...body, id: nanoid(10) }
        await checkIds(site, channel)
        await insertChannel(database, site.id, channel)
        return { ...channel, revision: 1 }
      },
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/channels/{id}',
      summary: 'Change a channel; pages get it with the next release',
      body: channelSchema.extend({ revision: z.number().int().optional() }),
      handle: async ({ site, params, body: { revision, ...body } }) => {
        const channel = { ...body, id: String(params.id) }
        await checkIds(site, channel)
        const saved = await updateChannel(database, site.id, channel, revision)
        const current = (await channelsOfSite(database, site.id)).find((each) => each.id === channel.id)
        if (!current) throw notFound('channel')
        if (!saved) throw new Problem('conflict', 'Somebody saved this channel while you were changing it; nothing of yours was saved.', { current })
        return current
      },
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/channels/{id}/claims',
      summary: 'Note how many conversions a channel itself reports, by day; the same day again is replaced',
      body: z
        .array(
          z.object({
            day: z.string().refine(isDay, { message: 'A day is YYYY-MM-DD.' }),
            conversions: z.number().int('Conversions are whole numbers.').min(0).max(1_000_000_000),
          }),
        )
        .max(4000),
      handle: async ({ site, params, body }) => {
        const channel = (await channelsOfSite(database, site.id)).find((each) => each.id === params.id)
        if (!channel) throw notFound('channel')
        await saveClaims(database, site.id, channel.id, body)
        return { days: body.length }
      },
    }),
    siteRoute('editor', {
      method: 'delete',
      path: '/sites/{key}/channels/{id}',
      summary: 'Remove a channel that no tag reports to',
      handle: async ({ site, params }) => {
        const { wiring } = await draftOf(database, site.id)
        const using = wiring.tags.filter(({ does }) => does.type === 'channel-event' && does.channel === params.id).map((tag) => `"${tag.name}"`)
        if (using.length) throw new Problem('in-use', `Tags still report to this channel: ${using.join(', ')}. Remove them first.`)
        if (!(await deleteChannel(database, site.id, String(params.id)))) throw notFound('channel')
      },
    }),
  ]

  async function checkIds(site: Site, channel: Channel): Promise<void> {
    const recipe = (await recipesOfSite(database, site.id)).find((each) => each.id === channel.recipe)
    if (!recipe) throw badInput([{ path: 'recipe', message: `There is no recipe "${channel.recipe}".` }])
    const errors = idErrors(recipe, channel.ids)
    if (errors.length) throw badInput(errors)
  }
}

/** The JSON Schema of recipes, as it is published in docs/recipe.schema.json. */
export function recipeJsonSchema(): Record<string, unknown> {
  return { title: 'Acequia recipe', ...z.toJSONSchema(recipeSchema, { io: 'input', unrepresentable: 'any' }) }
}
