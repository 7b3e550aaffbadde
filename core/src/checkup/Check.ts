import type { SurveyedPage } from '../installation/inspectPage.js'
import type { Channel } from '../recipes/channelSchema.js'
import type { Recipe } from '../recipes/recipeSchema.js'
import type { SiteSettings } from '../sites/siteSchema.js'
import type { NamedGoal } from '../wiring/compileWiring.js'
import type { Wiring } from '../wiring/wiringSchema.js'
import type { Finding } from './Finding.js'
import type { Traffic } from './SiteTraffic.js'

/** What a channel says happened, beside what was counted here, over the same days. */
export interface ChannelClaim {
  channel: string
  claimed: number
  counted: number
}

/** A channel's own figure may differ from ours by this share of ours, if nobody chose another. */
export const CLAIM_SHARE = 0.3

/** Everything a check may look at. Times are ms since 1970. */
export interface CheckupInput {
  now: number
  site: SiteSettings
  /** The draft. */
  wiring: Wiring
  /** When the draft was changed last; null while it is as live. */
  draftChangedAt: number | null
  /** When what is live was released; null before the first. */
  liveSince: number | null
  live: Wiring | null
  channels: readonly Channel[]
  recipes: readonly Recipe[]
  goals: readonly NamedGoal[]
  /** Pages of the latest survey; null without one. */
  pages: readonly SurveyedPage[] | null
  /** Hosts whose events were refused, with how many. */
  refusedHosts: readonly { host: string; events: number }[]
  claims: readonly ChannelClaim[]
  /** From which difference on a channel's own figure is a finding, as a share of ours. */
  claimShare: number
  traffic: Traffic
}

/** One check: finds one kind of thing. */
export type Check = (input: CheckupInput) => Finding[]

/** A count with its noun: "1 visit", "3 visits". */
export const counted = (n: number, one: string, more = `${one}s`): string => `${n.toLocaleString('en')} ${n === 1 ? one : more}`

/** A share as a whole percentage. */
export const percent = (part: number, whole: number): string => `${whole ? Math.round((part / whole) * 100) : 0} %`
