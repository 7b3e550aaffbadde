import { channelSchema, type Channel } from '@acequia/core/recipes/channelSchema'
import { idErrors } from '@acequia/core/recipes/idErrors'
import { recipeSchema } from '@acequia/core/recipes/recipeSchema'
import { patternError } from '@acequia/core/rules/pattern'
import { nanoid } from 'nanoid'
import * as z from 'zod'
import { badInput, notFound, Problem } from '../api/Problem.js'
import { knownRoute, siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { draftOf } from '../wiring/draftsTable.js'
import { allRecipes, channelsOfSite, deleteChannel, insertChannel, saveRecipe, updateChannel } from './channelsTable.js'

/** Channels of a site, and the recipes that say how a kind of channel is called. */
export function channelsRoutes({ database }: Services): Route[] {
  return [
    knownRoute({ method: 'get', path: '/recipes', summary: 'The recipes of this installation', handle: () => allRecipes(database) }),
    siteRoute('publisher', {
      method: 'post',
      path: '/sites/{key}/recipes',
      summary: 'Add a recipe, or replace the one with the same id',
      body: recipeSchema,
      status: 201,
      handle: async ({ body }) => {
        const errors = body.ids.flatMap(({ pattern }, index) => {
          const message = patternError(pattern)
          return message ? [{ path: `ids.${index}.pattern`, message }] : []
        })
        if (errors.length) throw badInput(errors)
        await saveRecipe(database, body)
        return body
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/channels',
      summary: 'The channels of a site',
      handle: ({ site }) => channelsOfSite(database, site.id),
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/channels',
      summary: 'Add a channel',
      body: channelSchema,
      status: 201,
      handle: async ({ site, body }) => {
        const channel = { ...body, id: nanoid(10) }
        await checkIds(channel)
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
        await checkIds(channel)
        const saved = await updateChannel(database, site.id, channel, revision)
        const current = (await channelsOfSite(database, site.id)).find((each) => each.id === channel.id)
        if (!current) throw notFound('channel')
        if (!saved) throw new Problem('conflict', 'Somebody saved this channel while you were changing it; nothing of yours was saved.', { current })
        return current
      },
    }),
    siteRoute('editor', {
      method: 'delete',
      path: '/sites/{key}/channels/{id}',
      summary: 'Remove a channel that no tag reports to',
      handle: async ({ site, params }) => {
        const { wiring } = await draftOf(database, site.id)
        const using = wiring.tags.filter((tag) => tag.does.channel === params.id).map((tag) => `"${tag.name}"`)
        if (using.length) throw new Problem('conflict', `Tags still report to this channel: ${using.join(', ')}. Remove them first.`)
        if (!(await deleteChannel(database, site.id, String(params.id)))) throw notFound('channel')
      },
    }),
  ]

  async function checkIds(channel: Channel): Promise<void> {
    const recipe = (await allRecipes(database)).find((each) => each.id === channel.recipe)
    if (!recipe) throw badInput([{ path: 'recipe', message: `There is no recipe "${channel.recipe}".` }])
    const errors = idErrors(recipe, channel.ids)
    if (errors.length) throw badInput(errors)
  }
}
