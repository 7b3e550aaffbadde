import { idErrors } from '../recipes/idErrors.js'
import { hostIsListed } from '../sites/hosts.js'
import { eventForCategory, scriptHostsOf } from '../recipes/recipeSchema.js'
import type { NamedGoal, ReleaseDocument } from './compileWiring.js'
import type { Tag } from './tagSchema.js'

/**
 * Why a wiring cannot go live: tags whose channel, call, event or ids are missing, scripts from hosts
 * that the site's owner has not allowed, triggers of goals or relay links that do not exist. Empty
 * when it can. Paused tags may be unfinished.
 */
export function releaseErrors(document: ReleaseDocument, goals: readonly NamedGoal[], scriptHosts: readonly string[]): { path: string; message: string }[] {
  const { wiring } = document
  const used = new Set(wiring.tags.flatMap((tag) => (tag.paused ? [] : tag.triggers)))
  return [
    ...wiring.triggers.flatMap(({ id, moment }, index) => {
      const complain = (message: string): { path: string; message: string }[] => (used.has(id) ? [{ path: `triggers.${index}`, message }] : [])
      if (moment.type === 'goal' && !goals.some((goal) => goal.id === moment.goal))
        return complain('A trigger waits for a goal that does not exist; choose one.')
      if (moment.type === 'relay' && !wiring.relays.some((relay) => relay.name === moment.relay))
        return complain(`A trigger waits for the relay link "${moment.relay}", which does not exist.`)
      return []
    }),
    ...wiring.tags.flatMap((tag, index) => (tag.paused ? [] : tagErrors(tag, document, scriptHosts).map((message) => ({ path: `tags.${index}`, message })))),
  ]
}

function tagErrors(tag: Tag, { channels, recipes }: ReleaseDocument, scriptHosts: readonly string[]): string[] {
  const { does } = tag
  if (does.type !== 'channel-event') return []
  const channel = channels.find((each) => each.id === does.channel)
  const recipe = channel && recipes.find((each) => each.id === channel.recipe)
  if (!channel || !recipe) return [`The tag "${tag.name}" reports to a channel that does not exist; choose one or pause the tag.`]
  const call = recipe.calls[does.call]
  if (!call) return [`${recipe.name} has no ${does.call} call; change the tag "${tag.name}".`]
  if (does.call === 'event' && call.needs.includes('event') && !does.event && !eventForCategory(recipe, does.category))
    return [`The tag "${tag.name}" does not say which event of ${channel.name} it reports.`]
  const foreign = scriptHostsOf(recipe).filter((host) => !hostIsListed(host, scriptHosts))
  if (foreign.length) return [`${recipe.name} would load scripts from ${foreign.join(', ')}, which the owner of the site has not allowed.`]
  return idErrors(recipe, channel.ids).map(({ message }) => `${channel.name}: ${message}`)
}
