import { describe, expect, it } from 'vitest'
import { wiringSchema } from '../wiring/wiringSchema.js'
import { suggestTriggers, triggerLike } from './suggestTriggers.js'
import { rehearsalGrid, type RehearsalReport } from './rehearsalGrid.js'

const wiring = wiringSchema.parse({
  triggers: [
    { id: 'any', moment: { type: 'page-view' } },
    { id: 'receipt', moment: { type: 'page-view' }, where: { any: [{ all: [{ reading: 'path', op: 'is', value: '/thanks' }] }] } },
    { id: 'sent', moment: { type: 'form-sent' } },
  ],
  tags: [
    { id: 'base', name: 'Base', triggers: ['any'], does: { type: 'image', address: 'https://p.example/' } },
    { id: 'night', name: 'Night', triggers: ['receipt'], does: { type: 'image', address: 'https://p.example/' } },
    { id: 'lead', name: 'Lead', triggers: ['sent'], does: { type: 'image', address: 'https://p.example/' }, limit: 'visit' },
  ],
})
const source = { source: 'direct', medium: 'none', campaign: null }
const moment = (uid: string, name: string, path: string, second: number): RehearsalReport => ({
  kind: 'event',
  at: second,
  event: { uid, at: new Date(second * 1000).toISOString(), name, url: `https://altolucero.example${path}` },
  source,
})
const judged = (trigger: string, uid: string, holds: boolean): RehearsalReport => ({ kind: 'judged', at: 1, trigger, uid, holds, excepted: false })

describe('the rehearsal grid', () => {
  // As loaders tell it: what was judged and fired comes before the event itself.
  const grid = rehearsalGrid(
    [
      { kind: 'ran', at: 1, url: 'https://altolucero.example/' },
      judged('any', 'a', true),
      judged('receipt', 'a', false),
      { kind: 'fired', at: 1, tag: 'base', uid: 'a' },
      { kind: 'sent', at: 1, tag: 'base', uid: 'a', address: 'https://p.example/' },
      { kind: 'outcome', at: 2, tag: 'base', uid: 'a', worked: false },
      moment('a', 'page-view', '/nights', 1),
      judged('sent', 'b', true),
      { kind: 'held', at: 3, tag: 'lead', uid: 'b', reason: 'limit-visit' },
      moment('b', 'form-sent', '/nights', 2),
    ],
    wiring,
  )
  it('has a column for every moment, and a cell only where a tag could have fired', () => {
    expect(grid.moments.map((each) => each.uid)).toEqual(['a', 'b'])
    expect(grid.rows.map((row) => row.cells.map((cell) => cell && `${cell.state} ${cell.reason ?? ''}`.trim()))).toEqual([
      ['fired', null],
      ['held rule', null],
      [null, 'held limit-visit'],
    ])
  })
  it('says why, condition by condition, with what was read', () => {
    expect(grid.rows[1]?.cells[0]?.triggers[0]?.conditions).toEqual([[{ words: 'path is /thanks', found: '/nights', holds: false }]])
    expect(grid.rows[0]?.cells[0]).toMatchObject({ sent: [{ address: 'https://p.example/' }], worked: false })
  })
  it('judges anew what the page could not know, when the draft has changed since', () => {
    const changed = wiringSchema.parse({
      ...wiring,
      triggers: wiring.triggers.map((each) =>
        each.id === 'receipt' ? { ...each, where: { any: [{ all: [{ reading: 'path', op: 'is', value: '/nights' }] }] } } : each,
      ),
    })
    const again = rehearsalGrid(
      [judged('receipt', 'a', false), moment('a', 'page-view', '/nights', 1), { kind: 'fired', at: 1, tag: 'base', uid: 'a' }],
      changed,
    )
    expect(again.rows[1]?.cells[0]).toMatchObject({ state: 'fired', anew: true, sent: [] })
    expect(again.rows[0]?.cells[0]).toMatchObject({ state: 'fired', anew: false })
    const ruledOut = { ...wiring, triggers: wiring.triggers.map((each) => (each.id === 'any' ? { ...each, where: wiring.triggers[1]!.where } : each)) }
    const less = rehearsalGrid([moment('a', 'page-view', '/nights', 1), { kind: 'fired', at: 1, tag: 'base', uid: 'a' }], ruledOut)
    expect(less.rows[0]?.cells[0]).toMatchObject({ state: 'held', anew: true, reason: 'rule' })
  })
})

describe('triggers made of what happened', () => {
  const reports: RehearsalReport[] = [
    moment('a', 'page-view', '/nights', 1),
    { kind: 'clicked', at: 2, selector: '#letters button', text: 'Send', link: false, url: 'https://altolucero.example/nights' },
    {
      kind: 'event',
      at: 3,
      event: { uid: 'b', at: '1970-01-01T00:00:03.000Z', name: 'form-sent', url: 'https://altolucero.example/nights', data: { formId: 'letters' } },
      source,
    },
    { kind: 'appeared', at: 4, selector: '#letters-done', text: 'Thank you', url: 'https://altolucero.example/nights' },
    moment('c', 'seats-chosen', '/nights', 5),
  ]
  const suggested = suggestTriggers(reports)
  const byForm = { any: [{ all: [{ reading: 'data.formId', op: 'is', value: 'letters', not: false, caseSensitive: false }] }] }

  it('offer the address, the form with its id, its confirmation, the click and the signal, newest first', () => {
    expect(suggested.map(({ happened, moment: { type } }) => [type, happened])).toEqual([
      ['signal', 'signal seats-chosen'],
      ['form-accepted', 'form letters accepted: “Thank you” appeared'],
      ['form-sent', 'form letters sent'],
      ['click', 'clicked “Send”'],
      ['page-view', 'page viewed'],
    ])
    expect(suggested[1]).toMatchObject({ moment: { by: 'element', selector: '#letters-done' }, where: byForm })
  })

  it('know when the draft has such a trigger already', () => {
    const [, , sent] = suggested
    expect(triggerLike(wiring.triggers, sent!)).toBeUndefined()
    expect(triggerLike([{ id: 'x', moment: { type: 'form-sent' }, where: byForm as never }], sent!)?.id).toBe('x')
  })
})
