import type { VisitSource } from '@acequia/core/sources/sourceOf'
import type { PageEvent } from './PageEvent.js'
import { quietly } from './quietly.js'
import { record, start } from './record.js'
import { tagsDone } from './tags.js'
import { setVisit } from './visit.js'

declare const __ACEQUIA_RELAY__: { event: PageEvent; source: VisitSource; target: string; waitMs: number }

/**
 * On a relay page of ours: fires the tags that wait for the passage, which the server has counted
 * already, and goes on when all have answered, or after the limit whatever they do.
 */
export function passRelay(): void {
  const { event, source, target, waitMs } = __ACEQUIA_RELAY__
  let gone = false
  const go = (): void => {
    if (!gone) location.replace(target)
    gone = true
  }
  setTimeout(go, waitMs)
  quietly(() => {
    setVisit({ lastAt: Date.parse(event.at), source, landing: '' })
    start()
    record(event)
  })()
  tagsDone().then(go, go)
}
