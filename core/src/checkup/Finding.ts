import type { Goal } from '../goals/goalSchema.js'
import type { SiteSettings } from '../sites/siteSchema.js'
import type { Tag } from '../wiring/tagSchema.js'
import type { Trigger, Wiring } from '../wiring/wiringSchema.js'

/** How much a finding matters: money or data is being lost; probably wrong; worth knowing. */
export const WEIGHTS = ['loss', 'warning', 'notice'] as const
/** How much a finding matters. */
export type Weight = (typeof WEIGHTS)[number]

/** New versions of entries of the draft by id; null removes one, an unknown id adds one. */
export interface WiringPatch {
  triggers?: Record<string, Trigger | null>
  tags?: Record<string, Tag | null>
}

/** One action that mends a finding. `open` leads to where only a person can decide. */
export type Mend =
  | { type: 'wiring'; label: string; patch: WiringPatch }
  | { type: 'goal'; label: string; id: string; goal: Goal }
  | { type: 'settings'; label: string; settings: Partial<SiteSettings> }
  | { type: 'open'; label: string; screen: 'tag' | 'trigger' | 'edit-goal' | 'goal' | 'channels' | 'site' | 'site-settings' | 'new-release'; id?: string }

/** Something that is wrong or suspicious. */
export interface Finding {
  /** The check and what it found, so that it can be accepted for good. */
  id: string
  weight: Weight
  /** What is wrong, in one sentence. */
  sentence: string
  /** What recorded traffic or the wiring says about it. */
  evidence: string[]
  mend: Mend
}

/** The draft with a mend's changes. Triggers that are removed are taken from the tags that wait for them. */
export function applyPatch(wiring: Wiring, patch: WiringPatch): Pick<Wiring, 'triggers' | 'tags'> {
  const put = <T extends { id: string }>(list: readonly T[], changes: Record<string, T | null> = {}): T[] => [
    ...list.flatMap((entry) => (entry.id in changes ? (changes[entry.id] ?? []) : entry)),
    ...Object.entries(changes).flatMap(([id, entry]) => (entry && !list.some((each) => each.id === id) ? entry : [])),
  ]
  const triggers = put(wiring.triggers, patch.triggers)
  const known = new Set(triggers.map(({ id }) => id))
  const tags = put(wiring.tags, patch.tags).map((tag) =>
    tag.triggers.every((id) => known.has(id)) ? tag : { ...tag, triggers: tag.triggers.filter((id) => known.has(id)) },
  )
  const kept = new Set(tags.map(({ id }) => id))
  return { triggers, tags: tags.map(({ after, ...tag }) => (after && kept.has(after.tag) ? { ...tag, after } : tag)) }
}
