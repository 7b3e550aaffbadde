import type { PreparedGoal } from '../goals/prepareGoal.js'
import type { CleanUp, ReadingSource } from '../readings/ownReadingSchema.js'
import type { PreparedTable } from '../readings/tableResult.js'
import type { Step } from '../recipes/recipeSchema.js'
import type { PreparedRule } from '../rules/judge.js'
import type { SourceSettings } from '../sources/sourceOf.js'
import type { Moment } from './momentSchema.js'
import type { Parameter, Purpose, TagValue } from './tagSchema.js'

/** What the loader of a site is served with: the live release, compiled, and nothing it does not use. */
export interface LoaderConfig extends CompiledWiring {
  key: string
  /** Our own origin: where events go and relay links begin. */
  origin: string
  /** Number of the live release; 0 before the first. */
  release: number
  currency: string
  site: SourceSettings
  pageChanges: { query: boolean; fragment: boolean }
  consent: 'not-needed' | 'ask'
  /** In a rehearsal: nothing leaves to channels. */
  holdBack?: boolean
}

/** A wiring as the loader runs it. */
export interface CompiledWiring {
  /** Moments to listen for, each once; page views, sent forms and signals are heard anyway. */
  listen: Listener[]
  triggers: LoaderTrigger[]
  /** Triggers that happen when all of these have, on one page. */
  together: { id: string; needs: string[] }[]
  tags: LoaderTag[]
  readings: LoaderReading[]
  /** Goals that triggers wait for. */
  goals: { id: string; goal: PreparedGoal }[]
  /** Click ids to keep, each for so many days. */
  clicks: { parameter: string; days: number }[]
  /** Whether links of the site lead to relay links of ours. */
  relays: boolean
}

/** A moment to listen for, with the text that its events carry as `data.watch`. */
export type Listener = Moment & { watch: string }

/** A trigger as the loader judges it; its rule includes what tells its moment from others. */
export interface LoaderTrigger {
  id: string
  event: string
  where: PreparedRule
  except?: PreparedRule
}

/** A tag as the loader runs it. */
export interface LoaderTag {
  id: string
  /** Triggers, any of which makes it fire. */
  on: string[]
  /** Fires before tags that are not, so that a channel's library knows its account first. */
  base?: true
  purpose: Purpose
  limit?: 'page' | 'visit' | 'visitor'
  /** ms since 1970. */
  from?: number
  to?: number
  after?: { tag: string; ifWorked: boolean }
  /** Own readings that are taken before it may have to wait. */
  uses?: string[]
  /** Calls of channels, images and requests. */
  steps?: Step[]
  /** Texts for placeholders that do not change. */
  values?: Record<string, string>
  value?: TagValue
  /** Reading of the order number. */
  order?: string
  extra?: Parameter[]
  /** Parameter under which the channel's click id is kept. */
  click?: string
  /** What the channel needs; without it the tag is held. */
  needs?: string[]
  /** Name of another event to record, with `extra` as its data. */
  event?: string
  /** Markup to insert. */
  html?: string
}

/** An own reading as the loader takes it. */
export interface LoaderReading {
  name: string
  from: Exclude<ReadingSource, { type: 'table' | 'click' }> | ({ type: 'table' } & PreparedTable) | { type: 'click'; parameter: string }
  clean: CleanUp
  always?: true
}
