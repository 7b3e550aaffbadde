import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { resolveRange } from './days/Range.js'
import { calendarOf } from './days/zone.js'
import type { LoggedEvent } from './events/LoggedEvent.js'
import { Backtest } from './goals/Backtest.js'
import { FunnelRun } from './funnels/FunnelRun.js'
import { funnelSchema } from './funnels/funnelSchema.js'
import { goalSchema } from './goals/goalSchema.js'
import { prepareGoal } from './goals/prepareGoal.js'
import { siteSchema } from './sites/siteSchema.js'
import { deriveVisits } from './visits/deriveVisits.js'

interface Example {
  name: string
  site?: object
  events: { visitor?: string; at: string; path: string; name?: string; value?: number; currency?: string; order?: string }[]
  goal?: object
  funnel?: object
  from: string
  to: string
  answer: object
}

const page = readFileSync(new URL('../../docs/semantics.md', import.meta.url), 'utf8')
const examples = [...page.matchAll(/```json example\n([^]*?)```/g)].map((found) => JSON.parse(found[1] ?? '') as Example)

describe('the worked examples of docs/semantics.md', () => {
  it('are there', () => expect(examples.length).toBeGreaterThanOrEqual(10))

  it.each(examples.map((example) => [example.name, example] as const))('%s', (_, { site: given, events, goal, funnel, from, to, answer }) => {
    const site = siteSchema.parse({ name: 'Observatory', hosts: ['altolucero.example'], timeZone: 'UTC', currency: 'EUR', ...given })
    const calendar = calendarOf(site.timeZone)
    const range = resolveRange({ from, to }, calendar)
    const run = funnel
      ? new FunnelRun(funnelSchema.parse(funnel), range, calendar)
      : new Backtest(prepareGoal(goalSchema.parse({ name: 'Goal', ...goal }), site), range, calendar)
    const visitors = new Map<string, LoggedEvent[]>()
    for (const [index, { visitor = 'visitor-1', at, path, ...rest }] of events.entries()) {
      const event = { uid: `u${index}`, name: 'page-view', at: Date.parse(at), url: `https://altolucero.example${path}`, ...rest }
      visitors.set(visitor, [...(visitors.get(visitor) ?? []), event])
    }
    for (const [visitor, its] of visitors) run.addVisitor(visitor, deriveVisits(its, site))
    expect(run.result()).toMatchObject(answer)
  })
})
