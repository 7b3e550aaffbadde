import { describe, expect, it } from 'vitest'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { GoalSuggestions, type GoalSuggestion } from './GoalSuggestions.js'

const START = Date.UTC(2026, 4, 4)
const site = { hosts: [], passThroughHosts: [], sourceRules: [], clickIds: [] }
let number = 0
type Step = [name: string, path: string, more?: Partial<LoggedEvent>]
const form = (path: string, formId: string): Step => ['form-sent', path, { data: { formId } }]

function suggestions(...visits: Step[][]): GoalSuggestion[] {
  const found = new GoalSuggestions(START, START + 86_400_000)
  for (const steps of visits) {
    const events = steps.map(([name, path, more], index): LoggedEvent => ({
      uid: `u${number++}`,
      at: START + index * 30_000,
      name,
      url: `https://altolucero.example${path}`,
      ...more,
    }))
    found.addVisitor(deriveVisits(events, site))
  }
  return found.result()
}
const times = (n: number, ...steps: Step[]): Step[][] => Array.from({ length: n }, () => steps)

describe('goals that a site’s traffic suggests', () => {
  it('are thank-you pages: once a visit, after a form, hardly ever first', () => {
    const paid = times(8, ['page-view', '/seats'], form('/seats', 'seats'), ['page-view', '/seats/done', { value: 36, order: 'Q' }])
    const [one, ...rest] = suggestions(...paid)
    expect(rest).toEqual([])
    expect(one).toMatchObject({
      purpose: 'booked',
      why: '/seats/done is seen about once in a visit, right after a form was sent on /seats, and hardly ever first: probably a thank-you page. It tells a value.',
      goal: { category: 'booking', count: 'order', value: { type: 'reading', reading: 'value' }, path: [{ name: '/seats', required: true }] },
    })
  })

  it('are no pages where visits begin, and none that a form does not lead to', () => {
    expect(suggestions(...times(8, ['page-view', '/done']))).toEqual([])
    expect(suggestions(...times(8, ['page-view', '/'], ['page-view', '/done']))).toEqual([])
    expect(suggestions(...times(3, ['page-view', '/ask'], form('/ask', 'ask'), ['page-view', '/ask/done']))).toEqual([])
  })

  it('are forms that answer in place, files, videos, and people who stay', () => {
    const found = suggestions(
      ...times(6, ['page-view', '/'], form('/', 'letters')),
      ...times(6, ['page-view', '/'], ['click', '/', { data: { clickFile: 'pdf' } }], ['video-watched', '/']),
      ...times(6, ...Array.from({ length: 8 }, (_, index): Step => ['page-view', `/p${index}`])),
    )
    expect(found.map((each) => each.purpose)).toEqual(['signed up', 'downloaded', 'watched', 'read on', 'looked around'])
    expect(found[0]?.goal.kind).toMatchObject({ event: 'form-sent', where: { any: [{ all: [{ reading: 'data.formId', value: 'letters' }] }] } })
  })
})
