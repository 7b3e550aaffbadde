import { parseTime } from '../days/parseTime.js'
import type { Goal } from '../goals/goalSchema.js'
import { prepareGoal } from '../goals/prepareGoal.js'
import { prepareTable } from '../readings/tableResult.js'
import type { Channel } from '../recipes/channelSchema.js'
import { eventForCategory, type Recipe } from '../recipes/recipeSchema.js'
import { prepareRule } from '../rules/prepareRule.js'
import type { SiteSettings } from '../sites/siteSchema.js'
import type { CompiledWiring, Listener, LoaderReading, LoaderTag } from './LoaderConfig.js'
import { eventNameOf, momentRule, watchOf } from './momentEvent.js'
import type { Moment } from './momentSchema.js'
import { purposeOf, type Tag } from './tagSchema.js'
import { usedReadings } from './usedReadings.js'
import type { Trigger, Wiring } from './wiringSchema.js'

/** A release as it is kept: everything needed to know later what was live. Never changed. */
export interface ReleaseDocument {
  wiring: Wiring
  channels: Channel[]
  recipes: Recipe[]
}

/** A goal with its id, as triggers refer to it. */
export interface NamedGoal {
  id: string
  goal: Goal
}

/**
 * Compiles what is live into what the loader runs. Paused tags and those without trigger are left
 * out, and so are rules of triggers that no tag waits for; their moments are still listened for, so
 * that there is evidence of them.
 * @param goals all goals of the site as they are now: a trigger follows when its goal's rule changes
 */
export function compileWiring(document: ReleaseDocument, goals: readonly NamedGoal[], site: Pick<SiteSettings, 'currency' | 'rates'>): CompiledWiring {
  const { wiring, channels, recipes } = document
  const known = new Map(wiring.triggers.map((trigger) => [trigger.id, trigger]))
  const recipeOf = (channel: string): Recipe | undefined => recipes.find((each) => each.id === channels.find(({ id }) => id === channel)?.recipe)
  const tags = wiring.tags.flatMap((tag) => {
    const on = tag.triggers.filter((id) => known.has(id))
    const does = on.length && !tag.paused ? compileAction(tag, channels, recipes) : null
    return does ? [{ ...compileLimits(tag), ...does, id: tag.id, on, purpose: purposeOf(tag) }] : []
  })
  for (const tag of tags) {
    const uses = usedReadings(tag, wiring.readings)
    if (uses.length) tag.uses = uses
  }
  const awaited = new Set(tags.flatMap((tag) => tag.on))
  const together = wiring.triggers.flatMap(({ id, moment }) => (moment.type === 'all' && awaited.has(id) ? [{ id, needs: moment.triggers }] : []))
  for (const { needs } of together) for (const id of needs) awaited.add(id)
  const triggers = wiring.triggers.filter((trigger) => awaited.has(trigger.id))
  const goalIds = new Set(triggers.flatMap(({ moment }) => (moment.type === 'goal' ? [moment.goal] : [])))
  return {
    listen: distinctMoments(wiring.triggers),
    triggers: triggers.map(({ id, moment, where, except }) => ({
      id,
      event: eventNameOf(moment),
      where: momentRule(moment, prepareRule(where), id),
      ...(except?.any.length && { except: prepareRule(except) }),
    })),
    together,
    tags: inOrder([...tags.filter((tag) => tag.base), ...tags.filter((tag) => !tag.base)]),
    readings: wiring.readings.flatMap(({ name, from, clean, always }): LoaderReading[] => {
      const rest = { name, clean, ...(always && { always }) }
      if (from.type === 'table') return [{ ...rest, from: { type: 'table', ...prepareTable(from) } }]
      if (from.type !== 'click') return [{ ...rest, from }]
      const parameter = recipeOf(from.channel)?.clickId?.parameter
      return parameter ? [{ ...rest, from: { type: 'click', parameter } }] : []
    }),
    goals: goals.filter(({ id }) => goalIds.has(id)).map(({ id, goal }) => ({ id, goal: prepareGoal(goal, site) })),
    clicks: keptClicks(channels.map((channel) => recipeOf(channel.id))),
    relays: wiring.relays.length > 0,
  }
}

/** Each tag behind the one it runs after; otherwise as they stand. */
function inOrder(tags: LoaderTag[]): LoaderTag[] {
  const ordered = new Set<LoaderTag>()
  const put = (tag: LoaderTag): void => {
    const first = tags.find((each) => each.id === tag.after?.tag)
    if (first && !ordered.has(first)) put(first)
    ordered.add(tag)
  }
  tags.forEach(put)
  return [...ordered]
}

/** Every click id that a channel of the site adds, kept for the longest of the windows asked for. */
function keptClicks(recipes: (Recipe | undefined)[]): CompiledWiring['clicks'] {
  const days = new Map<string, number>()
  for (const recipe of recipes) {
    if (recipe?.clickId) days.set(recipe.clickId.parameter, Math.max(recipe.clickId.days, days.get(recipe.clickId.parameter) ?? 0))
  }
  return [...days].map(([parameter, each]) => ({ parameter, days: each }))
}

const HEARD_ANYWAY: readonly Moment['type'][] = ['page-view', 'form-sent', 'signal', 'goal', 'relay', 'all']

function distinctMoments(triggers: readonly Trigger[]): Listener[] {
  const moments = new Map<string, Listener>()
  for (const { moment } of triggers) if (!HEARD_ANYWAY.includes(moment.type)) moments.set(JSON.stringify(moment), { ...moment, watch: watchOf(moment) ?? '' })
  return [...moments.values()]
}

function compileLimits({ limit, after, schedule }: Tag): Pick<LoaderTag, 'limit' | 'after' | 'from' | 'to'> {
  const from = schedule?.from === undefined ? null : parseTime(schedule.from)
  const to = schedule?.to === undefined ? null : parseTime(schedule.to)
  return { ...(limit !== 'every' && { limit }), ...(after && { after }), ...(from !== null && { from }), ...(to !== null && { to }) }
}

/** @returns null when it cannot be done: its channel or call is not there */
function compileAction({ does }: Tag, channels: readonly Channel[], recipes: readonly Recipe[]): Omit<LoaderTag, 'id' | 'on' | 'purpose'> | null {
  switch (does.type) {
    case 'own-event':
      return { event: does.name, value: does.value, extra: does.data }
    case 'image':
      return { steps: [{ image: does.address }] }
    case 'request':
      return { steps: [{ request: does.address, method: does.method, ...(does.body !== undefined && { body: does.body }) }] }
    case 'script':
      return {}
    case 'html':
      return { html: does.html }
  }
  const channel = channels.find((each) => each.id === does.channel)
  const recipe = recipes.find((each) => each.id === channel?.recipe)
  const call = recipe?.calls[does.call]
  if (!channel || !recipe || !call) return null
  const values: Record<string, string> = Object.fromEntries(Object.entries(channel.ids).map(([name, value]) => ['id.' + name, value]))
  const event = does.event || eventForCategory(recipe, does.category)
  if (event) values.event = event
  return {
    steps: call.steps,
    values,
    value: does.value,
    ...(does.call === 'base' && { base: true as const }),
    ...(does.order !== 'order' && { order: does.order }),
    ...(does.extra.length && { extra: does.extra }),
    ...(recipe.clickId && { click: recipe.clickId.parameter }),
    ...(call.needs.length && { needs: call.needs }),
  }
}
