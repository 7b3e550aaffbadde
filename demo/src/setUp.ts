import { randomUUID } from 'node:crypto'
import { readFileSync } from 'node:fs'
import type { RunningServer } from '@acequia/server/app/startServer'
import { countMarks } from '@acequia/server/visits/marksTable'
import { originsOf } from './outside/world.js'
import { HISTORY_DAYS, simulateHistory } from './visitors/history.js'

/** Who signs in to the demo. */
export const DEMO_PERSON = { name: 'Lucía Robledo', email: 'lucia@altolucero.example', password: 'clear-night-sky' }

const path = (value: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value }] }] })
const form = (value: string): object => ({ any: [{ all: [{ reading: 'data.formId', op: 'is', value }] }] })

const GOALS = [
  {
    name: 'Night booked',
    category: 'booking',
    kind: { type: 'page', where: path('/nights/thanks') },
    count: 'visit',
    value: { type: 'reading', reading: 'value', fallback: 18 },
    path: [{ name: 'Booking form', where: path('/nights/book'), required: true }],
  },
  {
    name: 'Calendar asked for',
    category: 'lead',
    kind: { type: 'page', where: path('/calendar/thanks') },
    count: 'visit',
    value: { type: 'fixed', amount: 2.5 },
  },
  { name: 'Newsletter', category: 'sign-up', kind: { type: 'event', event: 'form-sent', where: form('newsletter') }, count: 'visitor' },
  { name: 'Group enquiry', category: 'lead', kind: { type: 'page', where: path('/groups/thanks') }, count: 'visit', value: { type: 'fixed', amount: 120 } },
  { name: 'Read on, 3 minutes', category: 'read', kind: { type: 'time', seconds: 180 }, count: 'visit' },
]

/** Calls the API of the running server as its owner. */
type Api = (method: string, path: string, body?: unknown) => Promise<Record<string, unknown>>

/** Creates the demo site in an empty installation: settings, channel, wiring, goals, history. @returns the site's key */
export async function setUpDemo(server: RunningServer, api: Api, demoPort: number, told: (what: string) => void): Promise<string> {
  const origins = originsOf(demoPort)
  await server.services.people.createFirst(DEMO_PERSON)
  const { key } = (await api('POST', '/sites', {
    name: 'Altolucero Observatory',
    hosts: ['altolucero.localhost'],
    timeZone: 'Europe/Madrid',
    currency: 'EUR',
    rates: { USD: '0.92', GBP: '1.17' },
    sourceRules: [{ host: 'lumbre.example', source: 'lumbre', medium: 'organic' }],
    passThroughHosts: ['caja.localhost'],
    clickIds: [{ parameter: 'lantern', source: 'farola', medium: 'cpc' }],
  })) as { key: string }
  const recipe = readFileSync(new URL('../recipes/farola-search.json', import.meta.url), 'utf8').replaceAll('http://farola.localhost:4601', origins.farola)
  await api('POST', `/sites/${key}/recipes`, JSON.parse(recipe))
  const channel = await api('POST', `/sites/${key}/channels`, { name: 'Farola Search', recipe: 'farola-search', ids: { account: 'LN-204518' } })
  const tag = (id: string, name: string, trigger: string, does: object): object => ({
    id,
    name,
    triggers: [trigger],
    does: { type: 'channel-event', channel: channel.id, ...does },
  })
  await api('PUT', `/sites/${key}/wiring`, {
    revision: 0,
    triggers: [
      { id: 'any-page', moment: { type: 'page-view' } },
      { id: 'receipt', moment: { type: 'page-view' }, where: path('/nights/thanks') },
    ],
    tags: [
      tag('farola-base', 'Farola base', 'any-page', { call: 'base' }),
      tag('farola-night', 'Farola: night booked', 'receipt', { call: 'event', event: 'sale', value: { type: 'reading', reading: 'value', fallback: 18 } }),
    ],
  })
  await api('POST', `/sites/${key}/releases`, { name: 'Base pixel and bookings', note: 'Farola on every page, and each night booked with its value.' })
  told(`Writing ${HISTORY_DAYS} days of history`)
  const site = await server.services.sites.byKey(key)
  let events = 0
  let day = 0
  for (const batch of simulateHistory(Date.now(), origins.shop)) {
    for (let start = 0; start < batch.length; start += 1000)
      await server.services.writer.store({ siteId: site?.id ?? 0, events: batch.slice(start, start + 1000) })
    events += batch.length
    if (++day % 30 === 0) told(`  day ${day}: ${events} events`)
  }
  for (const goal of GOALS) await api('POST', `/sites/${key}/goals`, goal)
  told('Deriving visits and conversions')
  while (await countMarks(server.services.database)) await new Promise((resolve) => setTimeout(resolve, 100))
  return key
}

/** Makes a caller of the API with the given token. */
export function apiOf(url: string, token: string): Api {
  return async (method, route, body) => {
    const answer = await fetch(`${url}/api/v1${route}`, {
      method,
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json', 'x-request-id': randomUUID() },
      ...(body !== undefined && { body: JSON.stringify(body) }),
    })
    if (!answer.ok) throw new Error(`${method} ${route}: ${await answer.text()}`)
    return answer.status === 204 ? {} : ((await answer.json()) as Record<string, unknown>)
  }
}
