import { isOwnEventName } from '../events/isOwnEventName.js'
import { formIdentity } from '../readings/formIdentity.js'
import { urlParts } from '../readings/url.js'
import { EVERYTHING, type Rule } from '../rules/Rule.js'
import { ruleIs } from '../rules/ruleIs.js'
import { momentSchema, type Moment } from '../wiring/momentSchema.js'
import type { Trigger } from '../wiring/wiringSchema.js'
import type { RehearsalReport } from './rehearsalGrid.js'

/** A trigger that could be made of something that just happened. */
export interface SuggestedTrigger {
  /** What happened, in words, with the page it happened on. */
  happened: string
  path: string
  /** ms since 1970. */
  at: number
  moment: Moment
  where: Rule
}

const MOST = 12

/** What a form is called, and the rule that means it. */
function formRule(data: Parameters<typeof formIdentity>[0]): { name: string; where: Rule } {
  const known = formIdentity(data, true)
  return known ? { name: known.value, where: ruleIs(known.reading, known.value) } : { name: 'without a name', where: EVERYTHING }
}

/**
 * Triggers that could be made of what a rehearsal saw, newest first, each kind of thing once: addresses,
 * forms, what appeared after them, clicks, signals.
 * @param ownEvents names of events that tags record
 */
export function suggestTriggers(reports: readonly RehearsalReport[], ownEvents: readonly string[] = []): SuggestedTrigger[] {
  const found = new Map<string, SuggestedTrigger>()
  let form: { name: string; where: Rule } | undefined
  for (const report of reports) {
    const add = (happened: string, url: string, moment: object, where: Rule): void => {
      const checked = momentSchema.parse(moment)
      const { path } = urlParts(url)
      const key = JSON.stringify([checked, where])
      found.delete(key)
      found.set(key, { happened, path, at: report.at, moment: checked, where })
    }
    if (report.kind === 'event') {
      const { event } = report
      if (event.name === 'page-view') add('page viewed', event.url, { type: 'page-view' }, ruleIs('path', urlParts(event.url).path))
      else if (event.name === 'form-sent') {
        form = formRule(event.data)
        add(`form ${form.name} sent`, event.url, { type: 'form-sent' }, form.where)
      } else if (!isOwnEventName(event.name) && !ownEvents.includes(event.name))
        add(`signal ${event.name}`, event.url, { type: 'signal', name: event.name }, EVERYTHING)
    } else if (report.kind === 'clicked') {
      add(
        `clicked “${report.text ?? report.selector}”`,
        report.url,
        { type: 'click', on: report.link ? 'link' : 'element', selector: report.selector },
        EVERYTHING,
      )
    } else if (report.kind === 'appeared') {
      const words = `“${(report.text ?? report.selector).slice(0, 60)}” appeared`
      if (form) add(`form ${form.name} accepted: ${words}`, report.url, { type: 'form-accepted', by: 'element', selector: report.selector }, form.where)
      else add(words, report.url, { type: 'element-seen', selector: report.selector }, EVERYTHING)
    }
  }
  return [...found.values()].reverse().slice(0, MOST)
}

/** The trigger of the draft that listens for just this; undefined where there is none. */
export function triggerLike(triggers: readonly Trigger[], { moment, where }: Pick<SuggestedTrigger, 'moment' | 'where'>): Trigger | undefined {
  const text = JSON.stringify([moment, where])
  return triggers.find((each) => !each.except?.any.length && JSON.stringify([each.moment, each.where]) === text)
}
