import { BadRangeError, resolveRange, type AskedRange, type Range } from '@acequia/core/days/Range'
import { calendarOf, type Calendar } from '@acequia/core/days/zone'
import * as z from 'zod'
import type { Site } from '../sites/sitesTable.js'
import { badInput } from './Problem.js'

/** `from` is included, `to` is not; both are days in the site's time zone or times. */
export const rangeQuery = z.object({ from: z.string().max(40), to: z.string().max(40) })

/** A range on a site, with the calendar it was resolved by. @throws Problem when it makes no sense */
export function rangeOn(site: Site, asked: AskedRange): Range & { calendar: Calendar } {
  const calendar = calendarOf(site.settings.timeZone)
  try {
    return { ...resolveRange(asked, calendar), calendar }
  } catch (error) {
    if (error instanceof BadRangeError) throw badInput([{ path: error.path, message: error.message }])
    throw error
  }
}
