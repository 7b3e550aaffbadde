import type { Channel } from '../recipes/channelSchema.js'
import { idErrors } from '../recipes/idErrors.js'
import type { Recipe } from '../recipes/recipeSchema.js'
import { prepareRule } from '../rules/prepareRule.js'
import { eventNameOf } from './eventNameOf.js'
import type { LoaderTag } from './LoaderConfig.js'
import type { Wiring } from './wiringSchema.js'

/** A release as it is kept: everything needed to know later what was live. Never changed. */
export interface ReleaseDocument {
  wiring: Wiring
  channels: Channel[]
  recipes: Recipe[]
}

/**
 * Why a wiring cannot go live: tags whose channel, call or ids are missing. Empty when it can.
 */
export function releaseErrors(document: ReleaseDocument): { path: string; message: string }[] {
  return document.wiring.tags.flatMap((tag, index) => {
    if (tag.paused) return []
    const path = `tags.${index}`
    const channel = document.channels.find((each) => each.id === tag.does.channel)
    const recipe = channel && document.recipes.find((each) => each.id === channel.recipe)
    if (!channel || !recipe) return [{ path, message: `The tag "${tag.name}" reports to a channel that does not exist; choose one or pause the tag.` }]
    const call = recipe.calls[tag.does.call]
    if (!call) return [{ path, message: `${recipe.name} has no ${tag.does.call} call; change the tag "${tag.name}".` }]
    if (tag.does.call === 'event' && call.needs.includes('event') && !tag.does.event)
      return [{ path, message: `The tag "${tag.name}" does not say which event of ${channel.name} it reports.` }]
    return idErrors(recipe, channel.ids).map(({ message }) => ({ path, message: `${channel.name}: ${message}` }))
  })
}

/** Compiles what is live into what the loader runs. Paused tags and those without trigger are left out. */
export function compileWiring({ wiring, channels, recipes }: ReleaseDocument): LoaderTag[] {
  const triggers = new Map(wiring.triggers.map((trigger) => [trigger.id, trigger]))
  const tags = wiring.tags.flatMap((tag): LoaderTag[] => {
    const channel = channels.find((each) => each.id === tag.does.channel)
    const call = recipes.find((each) => each.id === channel?.recipe)?.calls[tag.does.call]
    const when = tag.triggers.flatMap((id) => {
      const trigger = triggers.get(id)
      return trigger ? [{ event: eventNameOf(trigger.moment), where: prepareRule(trigger.where) }] : []
    })
    if (tag.paused || !channel || !call || !when.length) return []
    const values: Record<string, string> = Object.fromEntries(Object.entries(channel.ids).map(([name, value]) => ['id.' + name, value]))
    if (tag.does.event) values.event = tag.does.event
    return [{ id: tag.id, when, base: tag.does.call === 'base', steps: call.steps, values, value: tag.does.value, needs: call.needs }]
  })
  return [...tags.filter((tag) => tag.base), ...tags.filter((tag) => !tag.base)]
}
