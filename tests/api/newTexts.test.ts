import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { Random } from '../../demo/src/visitors/Random.js'
import { Metrics } from '../../server/src/app/Metrics.js'
import { Database } from '../../server/src/database/Database.js'
import { Dictionaries } from '../../server/src/dictionaries/Dictionaries.js'
import { EventLog } from '../../server/src/events/EventLog.js'
import { EventWriter, type IncomingEvent } from '../../server/src/events/EventWriter.js'
import { Spool } from '../../server/src/events/Spool.js'
import { startTestServer, type TestServer } from '../start/testServer.js'

const AT = Date.UTC(2026, 4, 4)
const folder = mkdtempSync(join(tmpdir(), 'acequia-texts-'))
let server: TestServer
let database: Database
beforeAll(async () => {
  server = await startTestServer(inject('databaseUrl'))
  database = new Database(server.services.config.databaseUrl as string, { connections: 12, several: true })
})
afterAll(async () => {
  await database.close()
  await server.stop()
  rmSync(folder, { recursive: true, force: true })
})

let writers = 0
/** A collector's writer as another process has it, with a memory of its own. */
function newWriter(on: Database = database): EventWriter {
  const spool = new Spool(join(folder, `spool-${writers++}`), 1e6)
  return new EventWriter(on, new Dictionaries(on), spool, new Metrics(), { error: () => undefined }, () => undefined)
}
const siteId = async (): Promise<number> => {
  const key = await server.addSite()
  return ((await database.row<{ id: number }>('SELECT id FROM sites WHERE site_key = ?', [key])) as { id: number }).id
}
const view = (uid: string, visitor: string, path: string, more: object = {}): IncomingEvent => ({
  visitor,
  event: { uid, at: AT, name: 'page-view', url: `https://altolucero.example${path}`, title: `Page ${path}`, ...more } as IncomingEvent['event'],
})
/** The log as text: uid, visitor and address of every event. */
async function logged(id: number): Promise<string[]> {
  const dictionaries = new Dictionaries(database)
  const lines: string[] = []
  for await (const { visitorId, events } of new EventLog(database, dictionaries).visitors(id)) {
    const visitor = (await dictionaries.visitors.textsOf([visitorId])).get(visitorId)
    for (const { uid, url, title } of events) lines.push(`${uid} ${visitor} ${url} ${title}`)
  }
  return lines.sort()
}
const line = ({ visitor, event: { uid, url, title } }: IncomingEvent): string => `${uid} ${visitor} ${url} ${title}`

describe('texts that come with their first event', () => {
  it('get one number each, though several processes have them at once, in any order', async () => {
    const id = await siteId()
    const random = new Random(11)
    const sent: IncomingEvent[] = []
    const processes = Array.from({ length: 4 }, () => newWriter())
    for (let round = 0; round < 12; round++) {
      const stored = Array.from({ length: 40 }, (_, number) => {
        const events = Array.from({ length: random.whole(1, 6) }, (_unused, index) =>
          view(
            `r${round}-${number}-${index}-0123456789`,
            `visitor-${round}-${random.whole(0, 15)}`,
            `/page-${round}-${random.whole(0, 9)}?q=${random.whole(0, 5)}`,
          ),
        )
        sent.push(...events)
        return (processes[number % processes.length] as EventWriter).store({ siteId: id, events })
      })
      for (const { accepted } of await Promise.all(stored)) expect(accepted).toBeGreaterThan(0)
    }
    await Promise.all(processes.map((each) => each.close()))
    expect(await logged(id)).toEqual(sent.map(line).sort())
    const twice = await database.rows('SELECT text FROM visitors WHERE site_id = ? GROUP BY text HAVING COUNT(*) > 1', [id])
    expect(twice).toEqual([])
  })

  it('are not taken for known when their events were refused', async () => {
    const id = await siteId()
    const writer = newWriter()
    // The collector would have refused it; the column does, too.
    await expect(writer.store({ siteId: id, events: [view('refused-0123456789', 'visitor-new', '/new', { order: 'Q'.repeat(300) })] })).rejects.toThrow(
      /too long/i,
    )
    expect(await database.rows('SELECT * FROM visitors WHERE site_id = ?', [id])).toEqual([])
    const good = view('taken-01234567890', 'visitor-new', '/new')
    expect(await writer.store({ siteId: id, events: [good] })).toEqual({ accepted: 1, known: 0 })
    await writer.close()
    expect(await logged(id)).toEqual([line(good)])
  })

  it('are there as well when other events of the group are known already', async () => {
    const id = await siteId()
    const writer = newWriter()
    const old = view('known-01234567890', 'visitor-old', '/old')
    await writer.store({ siteId: id, events: [old] })
    const fresh = view('fresh-01234567890', 'visitor-fresh', '/fresh')
    expect(await writer.store({ siteId: id, events: [old, fresh] })).toEqual({ accepted: 1, known: 1 })
    await writer.close()
    expect(await logged(id)).toEqual([fresh, old].map(line).sort())
  })

  it('are numbered beyond what there was, block by block, each number once', async () => {
    const numbers = async (): Promise<number[]> => {
      const ids = await new Dictionaries(database).titles.idsOf(
        await siteId(),
        Array.from({ length: 2500 }, (_, index) => `Title ${index}`),
      )
      return [...ids.values()]
    }
    const all = (await Promise.all([numbers(), numbers(), numbers()])).flat()
    expect(new Set(all).size).toBe(7500)
    expect((await database.row<{ next: number }>("SELECT next FROM dictionary_numbers WHERE dictionary = 'titles'"))?.next).toBeGreaterThan(Math.max(...all))
  })
})

describe('transactions of a collector', () => {
  it('come one at a time while few events wait, and two side by side when many do', async () => {
    const id = await siteId()
    let [running, most] = [0, 0]
    const counted = Object.create(database) as Database
    counted.atOnce = async (statements) => {
      most = Math.max(most, ++running)
      await database.atOnce(statements).finally(() => running--)
    }
    const writer = newWriter(counted)
    let number = 0
    const store = (batches: number, events: number): Promise<unknown> =>
      Promise.all(
        Array.from({ length: batches }, () =>
          writer.store({ siteId: id, events: Array.from({ length: events }, () => view(`lane-${number++}-0123456789`, `visitor-${number}-lane`, '/')) }),
        ),
      )
    await store(1, 1)
    const few = Array.from({ length: 10 }, () => store(3, 5))
    await Promise.all(few)
    expect(most).toBe(1)
    await store(400, 10)
    expect(most).toBe(2)
    await writer.close()
    expect(await logged(id)).toHaveLength(number)
  })
})
