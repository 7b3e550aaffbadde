import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import { wiringSchema } from '@acequia/core/wiring/wiringSchema'
import type { DemoIds } from './demoWiring.js'

const path = (op: string, value: unknown): object => ({ reading: 'path', op, value })
const tell = (channel: string, event: string, value: object = { type: 'none' }): object => ({ type: 'channel-event', channel, call: 'event', event, value })

/**
 * The demo site's draft: what is live, and what a colleague added to it on a Friday afternoon. Six
 * things in it are wrong, and the checkup finds each.
 */
export function mistakenDraft(live: object, { farola, corrillo, vela }: DemoIds): Wiring {
  const { triggers = [], tags = [], ...rest } = live as { triggers?: object[]; tags?: object[] }
  return wiringSchema.parse({
    ...rest,
    triggers: [
      ...triggers,
      // A slash that the real address has not.
      { id: 'calendar', moment: { type: 'page-view' }, where: { any: [{ all: [path('is', '/calendar/thanks/')] }] } },
      // Two pages at once, where one after the other was meant.
      { id: 'after-form', moment: { type: 'page-view' }, where: { any: [{ all: [path('is', '/nights/book'), path('is', '/nights/thanks')] }] } },
      // The page where visits begin, not the one where they succeed.
      { id: 'calendar-page', moment: { type: 'page-view' }, where: { any: [{ all: [path('is', '/calendar')] }] } },
      { id: 'shop-thanks', moment: { type: 'page-view' }, where: { any: [{ all: [path('is', '/shop/thanks')] }] } },
    ],
    tags: [
      ...tags,
      { id: 'farola-calendar', name: 'Farola: calendar', triggers: ['calendar'], does: tell(farola, 'interest', { type: 'fixed', amount: 2.5 }) },
      { id: 'vela-after-form', name: 'Vela: after the form', triggers: ['after-form'], does: tell(vela, 'moored') },
      { id: 'corrillo-calendar', name: 'Corrillo: calendar', triggers: ['calendar-page'], does: tell(corrillo, 'joined', { type: 'fixed', amount: 2.5 }) },
      // The same sale, a second time.
      { id: 'farola-night-2', name: 'Farola: night booked (new)', triggers: ['receipt'], does: tell(farola, 'sale', { type: 'reading', reading: 'value' }) },
      // Nothing fires it.
      { id: 'corrillo-letters', name: 'Corrillo: letters', triggers: [], does: tell(corrillo, 'joined') },
      // A sale that is worth nothing.
      { id: 'farola-eyepiece', name: 'Farola: eyepiece', triggers: ['shop-thanks'], does: tell(farola, 'sale') },
    ],
  })
}
