import { randomUUID } from 'node:crypto'
import { readFileSync } from 'node:fs'
import type { RunningServer } from '@acequia/server/app/startServer'
import { compileWiring } from '@acequia/core/wiring/compileWiring'
import { goalsOfSites } from '@acequia/server/goals/goalsTable'
import type { Site } from '@acequia/server/sites/sitesTable'
import { releaseOf } from '@acequia/server/wiring/releasesTable'
import { fillingDerivations } from '@acequia/server/visits/derivationsTable'
import { visitorsToDerive } from '@acequia/server/visits/partsTable'
import { demoWiring } from './demoWiring.js'
import { mistakenDraft } from './mistakenDraft.js'
import { originsOf } from './outside/world.js'
import { FiredTags } from './visitors/FiredTags.js'
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
  {
    name: 'Eyepiece bought',
    category: 'purchase',
    kind: { type: 'page', where: path('/shop/thanks') },
    count: 'order',
    value: { type: 'reading', reading: 'value', fallback: 0 },
  },
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
    clickIds: [
      { parameter: 'lantern', source: 'farola', medium: 'cpc' },
      { parameter: 'whisper', source: 'corrillo', medium: 'social' },
      { parameter: 'gust', source: 'vela', medium: 'display' },
    ],
  })) as { key: string }
  const connect = async (id: string, ids: Record<string, string>): Promise<string> => {
    const text = readFileSync(new URL(`../recipes/${id}.json`, import.meta.url), 'utf8').replace(
      /http:\/\/(\w+)\.localhost:4601/g,
      `http://$1.localhost:${demoPort}`,
    )
    const recipe = JSON.parse(text) as { name: string }
    await api('POST', `/sites/${key}/recipes?allow=yes`, recipe)
    return String((await api('POST', `/sites/${key}/channels`, { name: recipe.name, recipe: id, ids })).id)
  }
  const channels = {
    farola: await connect('farola-search', { account: 'LN-204518' }),
    corrillo: await connect('corrillo-social', { circle: 'altolucero-2210' }),
    vela: await connect('vela-display', { sail: 'V118-AL' }),
  }
  const goals = new Map<string, string>()
  for (const goal of GOALS) goals.set(goal.name, String((await api('POST', `/sites/${key}/goals`, goal)).id))
  await api('POST', `/sites/${key}/funnels`, {
    name: 'From star nights to a booking',
    steps: [
      { name: 'Star nights', where: path('/nights') },
      { name: 'Seats chosen', where: path('/nights/book') },
      { name: 'Form sent', event: 'form-sent', where: form('booking') },
      { name: 'Booked', where: path('/nights/thanks') },
    ],
  })
  const ids = { ...channels, enquiryGoal: goals.get('Group enquiry') ?? '' }
  const wiring = demoWiring(ids, origins)
  await api('PUT', `/sites/${key}/wiring`, { revision: 0, ...wiring })
  await api('POST', `/sites/${key}/releases`, {
    name: 'Pixels, bookings, lodge',
    note: 'Farola and Corrillo on every page, each night booked with its value, and the way to the lodge.',
  })
  await api('PUT', `/sites/${key}/wiring`, { revision: 1, ...mistakenDraft(wiring, ids) })
  told(`Writing ${HISTORY_DAYS} days of history`)
  const site = await server.services.sites.byKey(key)
  const fired = await firedTagsOf(server, key)
  let events = 0
  let day = 0
  for (const batch of simulateHistory(Date.now(), origins.shop, fired)) {
    for (let start = 0; start < batch.length; start += 1000)
      await server.services.writer.store({ siteId: site?.id ?? 0, events: batch.slice(start, start + 1000) })
    events += batch.length
    if (++day % 30 === 0) told(`  day ${day}: ${events} events`)
  }
  told('Deriving visits and conversions')
  const { database } = server.services
  while ((await visitorsToDerive(database)) || (await fillingDerivations(database)).length) await new Promise((resolve) => setTimeout(resolve, 100))
  return key
}

/** Which tags the live release of a site fires, for simulated visits. */
export async function firedTagsOf({ services }: RunningServer, key: string): Promise<FiredTags> {
  const site = (await services.sites.byKey(key)) as Site
  const release = await releaseOf(services.database, site.id)
  if (!release) throw new Error('Nothing is live yet.')
  return new FiredTags(compileWiring(release.document, await goalsOfSites(services.database, [site.id]), site.settings), site.settings)
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
