import type { LoaderTag } from './LoaderConfig.js'
import type { Purpose } from './tagSchema.js'

/** Why a tag did not fire although its trigger happened. */
export type HoldReason =
  'too-early' | 'too-late' | 'limit-page' | 'limit-visit' | 'limit-visitor' | 'needs' | 'consent' | 'waits' | 'did-not-work' | 'paused' | 'except'

/** What the decision over a tag depends on, beside its trigger. */
export interface TagCircumstances {
  /** ms since 1970. */
  now: number
  consent: Record<Purpose, boolean>
  /** Where the tag has fired already. */
  fired: { page: boolean; visit: boolean; visitor: boolean }
  /** Gives what the tag would send under a name; undefined is absent. */
  value: (name: string) => unknown
}

/**
 * Decides whether a tag whose trigger happened fires. The same function decides on the page, in a
 * rehearsal and in a dry run.
 * @returns null when it fires
 */
export function holdReason(
  tag: Pick<LoaderTag, 'from' | 'to' | 'limit' | 'needs' | 'purpose'>,
  { now, consent, fired, value }: TagCircumstances,
): HoldReason | null {
  if (tag.from && now < tag.from) return 'too-early'
  if (tag.to && now >= tag.to) return 'too-late'
  if (tag.limit && fired[tag.limit]) return `limit-${tag.limit}`
  for (const need of tag.needs ?? []) if (value(need) === undefined) return 'needs'
  return consent[tag.purpose] ? null : 'consent'
}
