import type { Step } from '../recipes/recipeSchema.js'
import type { PreparedRule } from '../rules/judge.js'
import type { SourceSettings } from '../sources/sourceOf.js'
import type { TagValue } from './wiringSchema.js'

/** What the loader of a site is served with: the live release, compiled, and nothing it does not use. */
export interface LoaderConfig {
  key: string
  /** Where events go. */
  collect: string
  /** Number of the live release; 0 before the first. */
  release: number
  currency: string
  site: SourceSettings
  pageChanges: { query: boolean; fragment: boolean }
  consent: 'not-needed' | 'ask'
  tags: LoaderTag[]
}

/** A tag as the loader runs it. */
export interface LoaderTag {
  id: string
  /** Any of these makes it fire: the event's name and a rule. */
  when: { event: string; where: PreparedRule }[]
  /** Fires before tags that are not, so that a channel's library knows its account first. */
  base: boolean
  steps: Step[]
  values: Record<string, string>
  value: TagValue
  /** What the channel needs; without it the tag is held. */
  needs: string[]
}
