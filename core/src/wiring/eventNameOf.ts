import type { Moment } from './wiringSchema.js'

/** The name of the event in the log that a moment corresponds to. */
export function eventNameOf(moment: Moment): string {
  return moment.type === 'signal' ? moment.name : moment.type
}
