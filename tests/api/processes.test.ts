import { createServer, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { takeNightly } from '../../server/src/database/takeNightly.js'
import { Retention } from '../../server/src/events/Retention.js'
import { Surveyor } from '../../server/src/survey/Surveyor.js'
import type { Site } from '../../server/src/sites/sitesTable.js'
import { pageView, startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
/** A site whose pages never come. */
let pages: Server
let waiting: ServerResponse[] = []
let start: string
beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
  pages = createServer((_, response) => void waiting.push(response))
  await new Promise<void>((resolve) => pages.listen(0, '127.0.0.1', resolve))
  start = `http://altolucero.localhost:${(pages.address() as AddressInfo).port}/`
})
afterAll(async () => {
  pages.closeAllConnections()
  pages.close()
  await server.stop()
})

const surveyOf = async (key: string): Promise<{ state: string; note: string; startedBy: string }> =>
  (await server.api<{ survey: { state: string; note: string; startedBy: string } }>('GET', `/sites/${key}/survey`)).body.survey

describe('what is done once a night', () => {
  it('is taken by one of the processes that keep the hour, and again the next night', async () => {
    const { database } = server.services
    const night = Date.UTC(2026, 10, 25, 2, 41)
    const take = (job: string, at: number): Promise<boolean[]> => Promise.all([0, 1, 2, 3].map((second) => takeNightly(database, job, at + second * 1000)))
    expect((await take('retention', night)).filter(Boolean)).toHaveLength(1)
    expect((await take('retention', night + 60_000)).filter(Boolean)).toHaveLength(0)
    expect((await take('survey 1', night)).filter(Boolean)).toHaveLength(1)
    expect((await take('retention', night + 86_400_000)).filter(Boolean)).toHaveLength(1)
  })

  it('removes old events once, by whichever process was first, of however many visitors there are', async () => {
    const { database } = server.services
    const key = await server.addSite({ keepMonths: 1 })
    const lines = Array.from({ length: 2400 }, (_, index) => [
      { ...pageView('/old', '2026-03-05T10:00:00Z'), visitor: `visitor-${index}` },
      ...(index % 3 ? [] : [{ ...pageView('/new', '2026-05-05T10:00:00Z'), visitor: `visitor-${index}` }]),
    ])
    const body = lines
      .flat()
      .map((each) => JSON.stringify(each))
      .join('\n')
    expect((await server.api('POST', `/sites/${key}/events:import`, body, { 'content-type': 'application/x-ndjson' })).body).toMatchObject({ accepted: 3200 })
    await database.run('DELETE FROM nightly_jobs')
    const removed: string[] = []
    const processes = ['first', 'second', 'third'].map(
      (name) => new Retention(database, { error: () => undefined, info: (details) => void ('site' in details && removed.push(name)) }),
    )
    await Promise.all(processes.map((each) => each.runOnce(Date.UTC(2026, 4, 20, 2, 41))))
    expect(removed).toHaveLength(1)
    await server.derived()
    const left = await database.rows<{ path: string; n: number }>(
      `SELECT a.text AS path, COUNT(*) AS n FROM events e JOIN addresses a ON a.id = e.address_id
       WHERE e.site_id = (SELECT id FROM sites WHERE site_key = ?) GROUP BY a.text`,
      [key],
    )
    expect(left.map(({ path, n }) => [new URL(path).pathname, n])).toEqual([['/new', 800]])
  })
})

describe('a survey that another process runs', () => {
  it('is the only one of its site, and is stopped through any process', async () => {
    const key = await server.addSite({ hosts: ['altolucero.localhost'] })
    const other = new Surveyor(server.services.database)
    const site = (await server.services.sites.byKey(key)) as Site
    await other.begin(site, { start, origin: server.url, mostPages: 5, by: 'somebody elsewhere' })
    await expect.poll(() => waiting.length).toBeGreaterThan(0)
    expect((await server.api('POST', `/sites/${key}/survey`, { start })).status).toBe(409)
    expect(await surveyOf(key)).toMatchObject({ state: 'running', startedBy: 'somebody elsewhere' })
    expect((await server.api('DELETE', `/sites/${key}/survey`)).status).toBeLessThan(300)
    expect((await surveyOf(key)).state).toBe('stopped')
    // The other process sees it, lets go of what it was fetching, and could begin another one.
    await expect.poll(() => waiting.every((response) => response.closed)).toBe(true)
    waiting = []
    expect((await server.api('POST', `/sites/${key}/survey`, { start })).status).toBe(202)
    expect((await surveyOf(key)).startedBy).not.toBe('somebody elsewhere')
    await server.api('DELETE', `/sites/${key}/survey`)
    await other.stop()
  })

  it('is over when that process was killed, and not before', async () => {
    const { database } = server.services
    const key = await server.addSite({ hosts: ['altolucero.localhost'] })
    const site = (await server.services.sites.byKey(key)) as Site
    const lost = new Surveyor(database)
    await lost.begin(site, { start, origin: server.url, mostPages: 5, by: 'somebody' })
    const fresh = new Surveyor(database)
    fresh.start()
    await new Promise((resolve) => setTimeout(resolve, 300))
    expect((await surveyOf(key)).state).toBe('running')
    await fresh.stop()
    await database.run('UPDATE surveys SET seen_at = seen_at - 61000 WHERE site_id = ?', [site.id])
    const next = new Surveyor(database)
    next.start()
    await expect.poll(() => surveyOf(key)).toMatchObject({ state: 'stopped', note: 'The server was stopped in the middle of it.' })
    await Promise.all([lost.stop(), next.stop()])
  })
})
