import type { Channel } from '@acequia/core/recipes/channelSchema'
import { fillAddress, fillTemplate, type TemplateValue } from '@acequia/core/recipes/fillTemplate'
import { eventForCategory, type Recipe, type Step } from '@acequia/core/recipes/recipeSchema'
import type { TagAction } from '@acequia/core/wiring/tagSchema'

/** Something the visitor's browser does, in a word and in full. */
export interface SentStep {
  what: string
  how: string
}

/** An event of the log that stands for what will be filled in. */
export interface SentExample {
  path: string
  order: string | null
  value: number | null
}

/** What a tag makes the visitor's browser do, filled in with an example. */
export function stepsSent(
  does: TagAction,
  channel: Channel | undefined,
  recipe: Recipe | undefined,
  example: SentExample | undefined,
  currency: string,
): SentStep[] {
  const value = 'value' in does ? does.value : undefined
  const amount = value?.type === 'fixed' ? value.amount : value?.type === 'none' ? undefined : example?.value || 36
  const extra = does.type === 'channel-event' ? Object.fromEntries(does.extra.map((each) => [each.name, 'text' in each ? each.text : `‹${each.reading}›`])) : {}
  const known: Record<string, string | number | Record<string, unknown> | undefined> = {
    ...Object.fromEntries(Object.entries(channel?.ids ?? {}).map(([name, each]) => ['id.' + name, each])),
    event: does.type === 'channel-event' ? does.event || (recipe && eventForCategory(recipe, does.category)) : undefined,
    value: amount,
    currency: amount === undefined ? undefined : currency,
    order: example?.order ?? 'Q-7',
    path: example?.path ?? '/',
    click: 'c1f0a7',
    extra,
  }
  const fill: TemplateValue = (name) => (name in known ? known[name] : `‹${name}›`)
  return stepsOf(does, recipe).map((step) => {
    if ('script' in step) return { what: 'loads', how: step.script }
    if ('image' in step) return { what: 'requests', how: fillAddress(step.image, fill) }
    if ('request' in step)
      return {
        what: `sends ${step.method} to`,
        how: `${fillAddress(step.request, fill)}${step.body === undefined ? '' : ` ${JSON.stringify(fillTemplate(step.body, fill))}`}`,
      }
    return { what: 'calls', how: `${step.queue}(${step.push.map((each) => JSON.stringify(fillTemplate(each, fill)) ?? '–').join(', ')})` }
  })
}

function stepsOf(does: TagAction, recipe: Recipe | undefined): Step[] {
  if (does.type === 'channel-event') return recipe?.calls[does.call]?.steps ?? []
  if (does.type === 'image') return does.address ? [{ image: does.address }] : []
  if (does.type === 'request') return does.address ? [{ request: does.address, method: does.method, ...(does.body !== undefined && { body: does.body }) }] : []
  return []
}
