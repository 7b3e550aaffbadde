import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { calendarOf } from '../days/zone.js'
import type { LoggedEvent } from '../events/LoggedEvent.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { compileWiring } from '../wiring/compileWiring.js'
import { wiringSchema } from '../wiring/wiringSchema.js'
import { DryRun, type DryRunResult } from './DryRun.js'
import { unjudgedTriggers } from './unjudged.js'

const START = Date.UTC(2026, 4, 4)
const site = { hosts: [], passThroughHosts: [], sourceRules: [], clickIds: [] }
const calendar = calendarOf('UTC')
const range = { from: START, to: START + 2 * 86_400_000 }
let number = 0
const event = (minute: number, path: string, more: Partial<LoggedEvent> = {}): LoggedEvent => ({
  uid: `e${number++}`,
  at: START + minute * 60_000,
  name: 'page-view',
  url: `https://altolucero.example${path}`,
  ...more,
})
const path = (value: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value }] }] })
const image = (id: string, trigger: string, more: object = {}): object => ({
  id,
  name: id,
  triggers: [trigger],
  does: { type: 'image', address: 'https://p.example/' },
  ...more,
})
const compiled = (wiring: object): ReturnType<typeof compileWiring> =>
  compileWiring({ wiring: wiringSchema.parse(wiring), channels: [], recipes: [] }, [], { currency: 'EUR', rates: {} })
const run = (live: object, draft: object, ...visitors: LoggedEvent[][]): DryRunResult => {
  const dry = new DryRun(compiled(live), compiled(draft), range, calendar)
  visitors.forEach((events, index) => dry.addVisitor(`visitor-${index}`, deriveVisits(events, site)))
  return dry.result()
}
const receipt = { triggers: [{ id: 't', moment: { type: 'page-view' }, where: path('/thanks') }], tags: [image('night', 't')] }

describe('a dry run', () => {
  it('says what fires with the live release and with the draft, per day, and which visits change', () => {
    const landing = { ...receipt, triggers: [{ id: 't', moment: { type: 'page-view' }, where: path('/nights') }] }
    const result = run(receipt, landing, [event(0, '/nights'), event(5, '/thanks')], [event(1500, '/nights')], [event(10, '/thanks')])
    expect(result).toMatchObject({ events: 4, visits: 3, pageViews: 4 })
    expect(result.tags).toMatchObject([
      {
        id: 'night',
        now: 2,
        draft: 2,
        newVisits: 1,
        lostVisits: 1,
        daily: [
          { day: '2026-05-04', now: 2, draft: 1 },
          { day: '2026-05-05', now: 0, draft: 1 },
        ],
        examples: [
          { visitor: 'visitor-1', path: '/nights', change: 'new' },
          { visitor: 'visitor-2', path: '/thanks', change: 'lost' },
        ],
      },
    ])
  })

  it('keeps to limits, exceptions, schedules, and to several triggers on one page', () => {
    const draft = {
      triggers: [
        { id: 'any', moment: { type: 'page-view' }, except: path('/staff') },
        { id: 'sent', moment: { type: 'form-sent' } },
        { id: 'both', moment: { type: 'all', triggers: ['any', 'sent'] } },
      ],
      tags: [
        image('page', 'any'),
        image('visit', 'any', { limit: 'visit' }),
        image('visitor', 'any', { limit: 'visitor' }),
        image('late', 'any', { schedule: { from: '2026-05-04T00:03:00Z' } }),
        image('both', 'both'),
      ],
    }
    const form = { name: 'form-sent' }
    const visits = [event(0, '/'), event(1, '/', form), event(2, '/staff'), event(3, '/staff', form), event(4, '/'), event(100, '/')]
    const fired = Object.fromEntries(run({}, draft, visits).tags.map((tag) => [tag.id, tag.draft]))
    expect(fired).toEqual({ page: 3, visit: 2, visitor: 1, late: 2, both: 1 })
  })

  it('warns of a tag that never fires, on every page, or often in a visit', () => {
    const draft = {
      triggers: [
        { id: 'never', moment: { type: 'page-view' }, where: path('/nowhere') },
        { id: 'any', moment: { type: 'page-view' } },
      ],
      tags: [image('never', 'never'), image('any', 'any')],
    }
    const { tags } = run(
      {},
      draft,
      Array.from({ length: 24 }, (_, n) => event(n, '/')),
    )
    expect(tags.map((tag) => tag.warnings)).toEqual([['fires 0 times in 2 days'], ['fires on every page', 'fires on average 24.0 times a visit']])
  })

  it('changes nothing where draft and live are the same', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(2000), fc.constantFrom('/', '/thanks', '/nights'), fc.constantFrom('page-view', 'form-sent')), { maxLength: 30 }),
        (list) => {
          const [tag] = run(
            receipt,
            receipt,
            list.map(([minute, where, name]) => event(minute, where, { name })),
          ).tags
          expect(tag?.now).toBe(tag?.draft)
          expect(tag).toMatchObject({ newVisits: 0, lostVisits: 0, examples: [] })
        },
      ),
    )
  })

  it('says which triggers it cannot judge, and why', () => {
    const draft = wiringSchema.parse({
      triggers: [
        { id: 'click', moment: { type: 'click', on: 'link' } },
        { id: 'seen', moment: { type: 'element-seen', selector: '#a' } },
        { id: 'own', moment: { type: 'page-view' }, where: { any: [{ all: [{ reading: 'own.total', op: 'above', value: 1 }] }] } },
        { id: 'signal', moment: { type: 'signal', name: 'offer-seen' } },
        { id: 'page', moment: { type: 'page-view' } },
      ],
      tags: [{ id: 'o', name: 'o', triggers: ['page'], does: { type: 'own-event', name: 'offer-seen' } }],
    })
    const recorded = new Map([['click', new Set(['link'])]])
    expect(unjudgedTriggers(draft, undefined, recorded).map((each) => each.trigger)).toEqual(['seen', 'own', 'signal'])
    expect(unjudgedTriggers(draft, draft, recorded).map((each) => each.trigger)).toEqual(['own'])
  })
})
