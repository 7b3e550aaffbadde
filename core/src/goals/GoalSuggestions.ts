import type { LoggedEvent } from '../events/LoggedEvent.js'
import { formIdentity, type FormIdentity } from '../readings/formIdentity.js'
import { rememberingUrlParts } from '../readings/rememberingUrlParts.js'
import { ruleIs } from '../rules/ruleIs.js'
import type { Visit } from '../visits/deriveVisits.js'
import { goalSchema, type Goal } from './goalSchema.js'

/** What a goal may be for, as a starting point. */
export type Purpose = 'bought' | 'booked' | 'asked' | 'signed up' | 'downloaded' | 'read on' | 'watched' | 'looked around' | 'came back'

/** A goal that recorded traffic suggests, with the reason in words. */
export interface GoalSuggestion {
  purpose: Purpose
  why: string
  goal: Goal
}

interface PageSeen {
  path: string
  events: number
  visits: number
  onLanding: number
  afterForm: number
  withOrder: number
  withValue: number
  /** Path of the page on which the form was sent, most frequent first. */
  form: Map<string, number>
}

interface FormSeen extends FormIdentity {
  sent: number
  /** Sent without another page following. */
  inPlace: number
}

const ENOUGH = 5
const MOST = 8

/** Finds goals that a site probably has. Feed it every visitor once. */
export class GoalSuggestions {
  private readonly partsOf = rememberingUrlParts()
  private readonly pages = new Map<string, PageSeen>()
  private readonly forms = new Map<string, FormSeen>()
  private readonly counts = { downloads: 0, videos: 0, visits: 0, long: 0, deep: 0, again: 0 }

  constructor(
    private readonly from: number,
    private readonly to: number,
  ) {}

  /** Takes all visits of one visitor, oldest first. */
  addVisitor(visits: readonly Visit[]): void {
    for (const [index, visit] of visits.entries()) {
      if (visit.startedAt < this.from || visit.startedAt >= this.to) continue
      this.counts.visits++
      if (index) this.counts.again++
      if (visit.endedAt - visit.startedAt >= 180_000) this.counts.long++
      this.addVisit(visit.events)
    }
  }

  /** The suggestions, the most telling first. */
  result(): GoalSuggestion[] {
    const found: GoalSuggestion[] = []
    const share = (part: number, whole: number): number => (whole ? part / whole : 0)
    const add = (purpose: Purpose, why: string, goal: object): void => void found.push({ purpose, why, goal: goalSchema.parse(goal) })
    for (const page of [...this.pages.values()].sort((a, b) => b.visits - a.visits)) {
      const rarelyFirst = share(page.onLanding, page.events) < 0.15
      if (page.visits < ENOUGH || !rarelyFirst || share(page.afterForm, page.visits) < 0.5) continue
      const paid = share(page.withValue, page.events) >= 0.5
      const numbered = share(page.withOrder, page.events) >= 0.5
      const once = page.events / page.visits < 1.3 ? 'about once in a visit' : 'in a visit'
      const [form] = [...page.form].sort((a, b) => b[1] - a[1])
      const why = `${page.path} is seen ${once}, right after a form was sent${form ? ` on ${form[0]}` : ''}, and hardly ever first: probably a thank-you page.${paid ? ' It tells a value.' : ''}`
      const purpose: Purpose = paid ? (/book|night|seat|ticket|reserv/i.test(page.path) ? 'booked' : 'bought') : 'asked'
      add(purpose, why, {
        name: `${purpose === 'asked' ? 'Asked' : purpose === 'booked' ? 'Booked' : 'Bought'}: ${page.path}`,
        category: purpose === 'asked' ? 'lead' : purpose === 'booked' ? 'booking' : 'purchase',
        kind: { type: 'page', where: ruleIs('path', page.path) },
        count: numbered ? 'order' : 'visit',
        value: paid ? { type: 'reading', reading: 'value' } : { type: 'none' },
        path: form ? [{ name: form[0].slice(0, 200), where: ruleIs('path', form[0]), required: true }] : [],
      })
    }
    for (const form of [...this.forms.values()].sort((a, b) => b.sent - a.sent)) {
      if (form.sent < ENOUGH || share(form.inPlace, form.sent) < 0.6) continue
      add('signed up', `The form ${form.value} was sent ${form.sent} times, mostly without another page following: it answers in place.`, {
        name: `Sent: ${form.value}`.slice(0, 200),
        category: 'sign-up',
        kind: { type: 'event', event: 'form-sent', where: ruleIs(form.reading, form.value) },
        count: 'visitor',
      })
    }
    if (this.counts.downloads >= ENOUGH)
      add('downloaded', `Files were clicked ${this.counts.downloads} times.`, {
        name: 'Downloaded a file',
        category: 'download',
        kind: { type: 'event', event: 'click', where: { any: [{ all: [{ reading: 'data.clickFile', op: 'present' }] }] } },
      })
    if (this.counts.videos >= ENOUGH)
      add('watched', `Videos were watched ${this.counts.videos} times.`, {
        name: 'Watched a video',
        category: 'read',
        kind: { type: 'event', event: 'video-watched' },
      })
    if (this.counts.long >= ENOUGH)
      add('read on', `${this.counts.long} of ${this.counts.visits} visits last three minutes or longer.`, {
        name: 'Stayed 3 minutes',
        category: 'read',
        kind: { type: 'time', seconds: 180 },
      })
    if (this.counts.deep >= ENOUGH)
      add('looked around', `${this.counts.deep} of ${this.counts.visits} visits see five pages or more.`, {
        name: 'Saw 5 pages',
        category: 'read',
        kind: { type: 'depth', pages: 5 },
      })
    if (this.counts.again >= ENOUGH)
      add('came back', `${this.counts.again} of ${this.counts.visits} visits are by somebody who had been here before.`, {
        name: 'Came back',
        category: 'other',
        kind: { type: 'return', visits: 2 },
      })
    return found.slice(0, MOST)
  }

  private addVisit(events: readonly LoggedEvent[]): void {
    const seen = new Set<string>()
    let pages = 0
    let last: string | null = null
    let sent: { form: FormSeen | null; path: string } | null = null
    for (const event of events) {
      const { path } = this.partsOf(event.url)
      if (event.name === 'page-view') {
        pages++
        const page = this.page(path)
        page.events++
        if (!seen.has(path)) {
          seen.add(path)
          page.visits++
          if (sent && sent.path !== path) {
            page.afterForm++
            page.form.set(sent.path, (page.form.get(sent.path) ?? 0) + 1)
          }
        }
        if (last === null) page.onLanding++
        if (event.order) page.withOrder++
        if (event.value) page.withValue++
        if (sent && sent.path !== path) {
          if (sent.form) sent.form.inPlace--
          sent = null
        }
        last = path
      } else if (event.name === 'form-sent') {
        const form = this.form(event)
        if (form) {
          form.sent++
          form.inPlace++
        }
        sent = { form, path }
      } else if (event.name === 'click' && event.data?.clickFile) this.counts.downloads++
      else if (event.name === 'video-watched') this.counts.videos++
    }
    if (pages >= 5) this.counts.deep++
  }

  private page(path: string): PageSeen {
    let page = this.pages.get(path)
    if (!page) this.pages.set(path, (page = { path, events: 0, visits: 0, onLanding: 0, afterForm: 0, withOrder: 0, withValue: 0, form: new Map() }))
    return page
  }

  private form({ data }: LoggedEvent): FormSeen | null {
    const known = formIdentity(data)
    if (!known) return null
    const key = `${known.reading} ${known.value}`
    let form = this.forms.get(key)
    if (!form) this.forms.set(key, (form = { ...known, sent: 0, inPlace: 0 }))
    return form
  }
}
