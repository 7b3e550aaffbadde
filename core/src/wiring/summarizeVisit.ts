import type { Channel } from '../recipes/channelSchema.js'
import type { HoldReason } from './holdReason.js'
import type { Tag } from './tagSchema.js'

/** Words for why a tag was held. */
export const HOLD_WORDS: Record<HoldReason, string> = {
  'too-early': 'its time has not come yet',
  'too-late': 'its time is over',
  'limit-page': 'it fired on this page already',
  'limit-visit': 'it fired in this visit already',
  'limit-visitor': 'it fired in this browser already',
  needs: 'something the channel needs is missing, such as the order number',
  consent: 'the visitor has not agreed to it',
  waits: 'it waits for another tag',
  'did-not-work': 'the tag before it did not work',
  paused: 'it is paused',
  except: 'an exception of its trigger held',
}

/** What a watched loader told about tags. */
type Report =
  | { kind: 'ran' }
  | { kind: 'fired'; tag: string }
  | { kind: 'held'; tag: string; reason: HoldReason }
  | { kind: 'outcome'; tag: string; worked: boolean }
  | { kind: 'error'; tag: string; message: string }
  | { kind: 'event' | 'judged' | 'sent' | 'picked' }

/** What happened to one tag during a visit. */
export interface VisitedTag {
  id: string
  name: string
  channel: string | null
  fired: number
  /** Whether its last call was answered well. */
  answered: boolean
  failed: boolean
  /** Why it was held last; null when it fired since. */
  held: HoldReason | null
  error: string | null
}

/** Sums up what a watched loader told: whether it ran, what fired, and who answered. */
export function summarizeVisit(
  reports: readonly Report[],
  tags: readonly Tag[],
  channels: readonly Channel[],
): { ran: boolean; pages: number; tags: VisitedTag[] } {
  const found = new Map<string, VisitedTag>()
  const entry = (id: string): VisitedTag => {
    const tag = tags.find((each) => each.id === id)
    const channel = tag?.does.type === 'channel-event' ? tag.does.channel : undefined
    const known = found.get(id) ?? {
      id,
      name: tag?.name ?? id,
      channel: channels.find((each) => each.id === channel)?.name ?? null,
      fired: 0,
      answered: false,
      failed: false,
      held: null,
      error: null,
    }
    found.set(id, known)
    return known
  }
  let pages = 0
  for (const report of reports) {
    if (report.kind === 'ran') pages++
    else if (report.kind === 'fired') Object.assign(entry(report.tag), { fired: entry(report.tag).fired + 1, held: null })
    else if (report.kind === 'held') entry(report.tag).held = report.reason
    else if (report.kind === 'outcome') Object.assign(entry(report.tag), { answered: report.worked, failed: !report.worked })
    else if (report.kind === 'error') entry(report.tag).error = report.message
  }
  return { ran: pages > 0, pages, tags: [...found.values()] }
}
