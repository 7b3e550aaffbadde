import { readEvent, type ReadableEvent, type ReadableVisit, type Reader } from '../readings/readEvent.js'
import { explainRule, type ExplainedCondition } from '../rules/explainRule.js'
import { judge } from '../rules/judge.js'
import { prepareRule } from '../rules/prepareRule.js'
import { eventNameOf, momentRule } from '../wiring/momentEvent.js'
import type { HoldReason } from '../wiring/holdReason.js'
import type { Tag } from '../wiring/tagSchema.js'
import type { Trigger, Wiring } from '../wiring/wiringSchema.js'

/** What a watched loader tells, as far as the grid needs it. */
export type RehearsalReport =
  | { kind: 'ran'; at: number; url: string }
  | { kind: 'event'; at: number; event: ReadableEvent & { uid: string; at: string }; source: ReadableVisit }
  | { kind: 'judged'; at: number; trigger: string; uid: string; holds: boolean; excepted: boolean }
  | { kind: 'fired'; at: number; tag: string; uid: string }
  | { kind: 'held'; at: number; tag: string; uid: string; reason: HoldReason }
  | { kind: 'sent'; at: number; tag: string; uid: string; address: string; body?: string }
  | { kind: 'outcome'; at: number; tag: string; uid: string; worked: boolean }
  | { kind: 'error'; at: number; tag: string; message: string; stack?: string }
  | { kind: 'clicked'; at: number; selector: string; text?: string; link: boolean; url: string }
  | { kind: 'appeared'; at: number; selector: string; text?: string; url: string }
  | { kind: 'picked'; at: number }

/** One moment that happened, a column of the grid. */
export interface RehearsalMoment {
  uid: string
  /** ISO 8601 UTC. */
  at: string
  event: ReadableEvent & { uid: string; at: string }
  source: ReadableVisit
}

/** Why a trigger of a tag did or did not happen at a moment. */
export interface TriggerReason {
  trigger: Trigger
  holds: boolean
  excepted: boolean
  conditions: ExplainedCondition[][]
  exceptions: ExplainedCondition[][]
}

/** A tag at a moment that could have fired it. Where it could not there is no cell. */
export interface RehearsalCell {
  state: 'fired' | 'held'
  /** Judged by the draft as it is now; the page ran an older one, so nothing was sent. */
  anew: boolean
  /** Why it was held: `rule` where no trigger's rule held. */
  reason: HoldReason | 'rule' | null
  triggers: TriggerReason[]
  sent: { address: string; body: string | null }[]
  /** Whether the other side answered well; null while it is not known. */
  worked: boolean | null
  errors: string[]
}

/** The rehearsal grid: tags down, moments across. */
export interface RehearsalGrid {
  moments: RehearsalMoment[]
  rows: { tag: Tag; cells: (RehearsalCell | null)[] }[]
}

/**
 * Makes the grid out of what a watched loader told while it ran a wiring. Where the draft has changed since,
 * triggers are judged anew on what was read then; limits, consent and order are not.
 */
export function rehearsalGrid(reports: readonly RehearsalReport[], wiring: Wiring): RehearsalGrid {
  const moments = new Map<string, RehearsalMoment>()
  const judged = new Map<string, { holds: boolean; excepted: boolean }>()
  const about = new Map<string, RehearsalReport[]>()
  for (const report of reports) {
    if (report.kind === 'event') moments.set(report.event.uid, { uid: report.event.uid, at: report.event.at, event: report.event, source: report.source })
    else if (report.kind === 'judged') judged.set(`${report.trigger} ${report.uid}`, report)
    else if ('tag' in report && 'uid' in report) about.set(`${report.tag} ${report.uid}`, [...(about.get(`${report.tag} ${report.uid}`) ?? []), report])
  }
  const errors = reports.flatMap((report) => (report.kind === 'error' ? [report] : []))
  const columns = [...moments.values()].sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0))
  const rows = wiring.tags.map((tag) => ({
    tag,
    cells: columns.map((moment): RehearsalCell | null => {
      const triggers = tag.triggers.flatMap((id): TriggerReason[] => {
        const trigger = wiring.triggers.find((each) => each.id === id)
        const read = readEvent(moment.event, moment.source)
        const verdict = trigger && (judgeAnew(trigger, moment.event.name, read) ?? judged.get(`${id} ${moment.uid}`))
        if (!trigger || !verdict) return []
        return [
          {
            trigger,
            holds: verdict.holds,
            excepted: verdict.excepted,
            conditions: explainRule(trigger.where, read),
            exceptions: trigger.except ? explainRule(trigger.except, read) : [],
          },
        ]
      })
      const told = about.get(`${tag.id} ${moment.uid}`) ?? []
      if (!triggers.length && !told.length) return null
      const ran = told.some((report) => report.kind === 'fired')
      const held = told.find((report) => report.kind === 'held')
      const outcome = told.find((report) => report.kind === 'outcome')
      const happens = triggers.some((each) => each.holds && !each.excepted)
      // Told nothing of something that happens, or fired by something that happens no more: the draft has changed.
      const anew = triggers.length > 0 && (ran ? !happens : happens && !held && !tag.paused)
      const fired = anew ? happens : ran
      const kept = tag.paused ? 'paused' : triggers.some((each) => each.holds && each.excepted) ? 'except' : 'rule'
      return {
        state: fired ? 'fired' : 'held',
        anew,
        reason: fired ? null : held?.kind === 'held' && happens ? held.reason : kept,
        triggers,
        sent: told.flatMap((report) => (report.kind === 'sent' ? [{ address: report.address, body: report.body ?? null }] : [])),
        worked: outcome?.kind === 'outcome' ? outcome.worked : null,
        errors: fired ? errors.filter((error) => error.tag === tag.id).map((error) => error.message) : [],
      }
    }),
  }))
  return { moments: columns, rows }
}

/** A trigger judged on a recorded moment; null where only the page can tell: goals, and several triggers together. */
function judgeAnew(trigger: Trigger, event: string, read: Reader): { holds: boolean; excepted: boolean } | null {
  const { id, moment, where, except } = trigger
  if (moment.type === 'goal' || moment.type === 'all' || eventNameOf(moment) !== event) return null
  const holds = judge(momentRule(moment, prepareRule(where), id), read)
  return { holds, excepted: holds && !!except?.any.length && judge(prepareRule(except), read) }
}
