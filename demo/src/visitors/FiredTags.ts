import { goalEvents } from '@acequia/core/goals/goalEvents'
import { readEvent } from '@acequia/core/readings/readEvent'
import { judge } from '@acequia/core/rules/judge'
import { deriveVisits } from '@acequia/core/visits/deriveVisits'
import type { SourceSettings } from '@acequia/core/sources/sourceOf'
import type { CompiledWiring } from '@acequia/core/wiring/LoaderConfig'
import type { IncomingEvent } from '@acequia/server/events/EventWriter'

/** Works out which tags the loader would have fired at each event of a simulated visit, by core's own functions. */
export class FiredTags {
  constructor(
    private readonly wiring: CompiledWiring,
    private readonly site: SourceSettings,
  ) {}

  /** Notes the tags that fire at each event of one visit. */
  note(incoming: IncomingEvent[]): void {
    const events = incoming.map(({ event }) => event)
    const fired = new Map(events.map((event) => [event.uid, new Set<string>()]))
    const inVisit = new Set<string>()
    for (const visit of deriveVisits(events, this.site)) {
      for (const event of visit.events) {
        const read = readEvent(event, visit.source)
        const happen = (name: string, watch?: string): void => {
          const heard = this.wiring.triggers.filter(
            (trigger) =>
              trigger.event === name &&
              judge(trigger.where, (reading) => (reading === 'data.watch' && watch ? watch : read(reading))) &&
              !(trigger.except && judge(trigger.except, read)),
          )
          for (const tag of this.wiring.tags) {
            if (!heard.some((trigger) => tag.on.includes(trigger.id)) || (tag.needs?.includes('order') && !event.order)) continue
            if (tag.limit && inVisit.has(tag.id)) continue
            inVisit.add(tag.id)
            fired.get(event.uid)?.add(tag.id)
          }
        }
        happen(event.name)
        for (const { id, goal } of this.wiring.goals) if (goalEvents(goal, [visit]).counted.some((each) => each.event === event)) happen('goal-reached', id)
      }
    }
    for (const event of events) event.fired = [...(fired.get(event.uid) ?? [])].sort()
  }
}
