import { eventNameOf, watchOf } from '../wiring/momentEvent.js'
import type { Trigger, Wiring } from '../wiring/wiringSchema.js'

/** A trigger of the draft that recorded events say nothing about, and why. */
export interface Unjudged {
  trigger: string
  why: string
}

/**
 * Triggers of a draft that a dry run cannot judge, because what they wait for was not recorded.
 * @param recorded the `data.watch` of every event name that occurs in the range
 */
export function unjudgedTriggers(draft: Wiring, live: Wiring | undefined, recorded: ReadonlyMap<string, ReadonlySet<string>>): Unjudged[] {
  const knownReadings = new Set(live?.readings.map((each) => each.name))
  return draft.triggers.flatMap((trigger): Unjudged[] => {
    const why = whyNot(trigger, draft, live, recorded) ?? missingReading(trigger, knownReadings)
    return why ? [{ trigger: trigger.id, why }] : []
  })
}

function whyNot({ id, moment }: Trigger, draft: Wiring, live: Wiring | undefined, recorded: ReadonlyMap<string, ReadonlySet<string>>): string | null {
  const event = eventNameOf(moment)
  if (moment.type === 'signal') {
    const own = (wiring: Wiring | undefined): boolean =>
      !!wiring?.tags.some(({ does, paused }) => !paused && does.type === 'own-event' && does.name === moment.name)
    return !recorded.has(event) && own(draft) && !own(live) ? 'it waits for an event that only a tag of the draft will record' : null
  }
  if (['page-view', 'form-sent', 'goal', 'all'].includes(moment.type)) return null
  const watch = watchOf(moment, id) ?? ''
  const listened = live?.triggers.some((trigger) => trigger.moment.type === moment.type && watchOf(trigger.moment, trigger.id) === watch)
  return listened || recorded.get(event)?.has(watch) ? null : 'pages were not asked to listen for it yet; it is recorded from the release on'
}

function missingReading(trigger: Trigger, known: ReadonlySet<string>): string | null {
  const conditions = [trigger.where, trigger.except].flatMap((rule) => rule?.any.flatMap((group) => group.all) ?? [])
  const missing = conditions.find(({ reading }) => reading.startsWith('own.') && !known.has(reading.slice(4)))
  return missing ? `the reading ${missing.reading.slice(4)} was not taken yet` : null
}
