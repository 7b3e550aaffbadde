import { watchOf } from '@acequia/core/wiring/momentEvent'
import { momentSchema } from '@acequia/core/wiring/momentSchema'
import type { WorldOrigins } from './outside/world.js'

const where = (reading: string, op: string, value: unknown): object => ({ any: [{ all: [{ reading, op, value }] }] })

const LODGE_SEEN = { type: 'element-seen', selector: '#lodge-offers', percent: 50, seconds: 2, repeat: 'page' }
const LETTERS_ACCEPTED = { type: 'form-accepted', by: 'element', selector: '#newsletter-done', seconds: 10 }
const LONG_READ = { type: 'time', of: 'page', seconds: 120, times: 1 }
const FILE_CLICKED = { type: 'click', on: 'link' }

const watch = (moment: object): string => watchOf(momentSchema.parse(moment)) ?? ''

/** What simulated events carry as `data.watch`, as the loader would. */
export const WATCH = {
  lodgeSeen: watch(LODGE_SEEN),
  lettersAccepted: watch(LETTERS_ACCEPTED),
  longRead: watch(LONG_READ),
  linkClicked: watch(FILE_CLICKED),
  relay: 'lodge',
}

/** Ids of what the wiring refers to. */
export interface DemoIds {
  farola: string
  corrillo: string
  vela: string
  enquiryGoal: string
}

/** The demo site's wiring. */
export function demoWiring({ farola, corrillo, vela, enquiryGoal }: DemoIds, origins: WorldOrigins): object {
  const tag = (id: string, name: string, trigger: string, does: object, more: object = {}): object => ({ id, name, triggers: [trigger], does, ...more })
  const tell = (channel: string, call: 'base' | 'event', more: object = {}): object => ({ type: 'channel-event', channel, call, ...more })
  const orderValue = { type: 'reading', reading: 'value', fallback: 18 }
  return {
    triggers: [
      { id: 'any-page', moment: { type: 'page-view' } },
      { id: 'receipt', moment: { type: 'page-view' }, where: where('path', 'is', '/nights/thanks') },
      { id: 'letters', moment: LETTERS_ACCEPTED, where: where('data.formId', 'is', 'newsletter') },
      { id: 'lodge-seen', moment: LODGE_SEEN },
      { id: 'enquiry', moment: { type: 'goal', goal: enquiryGoal } },
      { id: 'lodge-passed', moment: { type: 'relay', relay: 'lodge' }, note: 'The lodge has no page of ours behind it, so the link passes through us.' },
      { id: 'long-read', moment: LONG_READ, where: where('path', 'starts', '/journal/') },
      { id: 'basket', moment: { type: 'signal', name: 'basket-filled' } },
      { id: 'file', moment: FILE_CLICKED, where: where('data.clickFile', 'in', ['pdf', 'zip', 'ics']) },
    ],
    tags: [
      tag('farola-base', 'Farola base', 'any-page', tell(farola, 'base')),
      tag('corrillo-base', 'Corrillo base', 'any-page', tell(corrillo, 'base')),
      tag('farola-night', 'Farola: night booked', 'receipt', tell(farola, 'event', { event: 'sale', value: orderValue })),
      tag('corrillo-night', 'Corrillo: paid', 'receipt', tell(corrillo, 'event', { category: 'booking', value: orderValue }), { limit: 'visit' }),
      tag('vela-night', 'Vela: landed', 'receipt', tell(vela, 'event', { event: 'landed', value: orderValue, extra: [{ name: 'season', text: 'autumn' }] })),
      tag('vela-letters', 'Vela: letters', 'letters', tell(vela, 'event', { event: 'moored', value: { type: 'fixed', amount: 2.5 } })),
      tag('lodge-offer', 'Lodge offers seen', 'lodge-seen', { type: 'own-event', name: 'lodge-offer-seen' }, { limit: 'visit' }),
      tag('farola-enquiry', 'Farola: enquiry', 'enquiry', tell(farola, 'event', { event: 'interest', value: { type: 'fixed', amount: 120 } })),
      tag('desk', 'Desk notified', 'enquiry', {
        type: 'request',
        address: `${origins.index}/desk`,
        method: 'POST',
        body: { about: 'group', page: '{path}', source: '{source}' },
      }),
      tag('farola-lodge', 'Farola: lodge', 'lodge-passed', tell(farola, 'event', { event: 'read' })),
      tag(
        'lodge-script',
        'Lodge partner script',
        'lodge-passed',
        { type: 'script', code: "// Asked for by the lodge, until they have a pixel.\nwindow.lodgeGuest = read('source')" },
        { paused: true },
      ),
      tag('read-on', 'Read on', 'long-read', { type: 'own-event', name: 'read-on' }),
      tag('farola-basket', 'Farola: basket', 'basket', tell(farola, 'event', { event: 'interest', value: { type: 'reading', reading: 'value' } }), {
        limit: 'page',
      }),
    ],
    readings: [
      {
        name: 'basket-total',
        from: { type: 'element', selector: '#basket-total' },
        clean: { number: ',' },
        note: 'The sum on the basket page, as people see it.',
      },
      { name: 'night', from: { type: 'field', field: 'night' }, always: true },
      { name: 'first-source', from: { type: 'visit', of: 'first', what: 'source' } },
      {
        name: 'section',
        from: {
          type: 'table',
          reading: 'path',
          rows: [
            { op: 'starts', value: '/nights', result: 'nights' },
            { op: 'starts', value: '/journal', result: 'journal' },
            { op: 'starts', value: '/shop', result: 'shop' },
          ],
          otherwise: 'other',
        },
      },
    ],
    relays: [{ name: 'lodge', targets: [`${origins.lodge}/rooms`, `${origins.lodge}/offers`], carry: ['guest', 'utm_source', 'utm_campaign'], waitMs: 800 }],
  }
}
