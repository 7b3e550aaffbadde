import { afterAll, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { dropMarks, takeMarked } from '../../server/src/visits/marksTable.js'
import { pageView, startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let key: string
beforeAll(async () => {
  // Marks are taken by these tests alone.
  server = await startTestServer(inject('databaseUrl'), { ACEQUIA_ROLE: 'collect,api' })
  key = await server.addSite()
})
beforeEach(() => server.services.database.run('DELETE FROM marks'))
afterAll(() => server.stop())

const send = async (visitor: string, path = '/'): Promise<void> =>
  void expect((await server.collect(key, visitor, [pageView(path, '2026-05-04T10:00:00Z')])).status).toBe(204)
const marks = async (): Promise<number> => (await server.services.database.row<{ n: number }>('SELECT COUNT(*) AS n FROM marks'))?.n ?? -1
const idOf = async (visitor: string): Promise<number> =>
  (await server.services.database.row<{ id: number }>('SELECT id FROM visitors WHERE text = ?', [visitor]))?.id ?? 0

describe('a visitor with whom something happened', () => {
  it('is taken once, with everything that happened up to then', async () => {
    const { database } = server.services
    for (const path of ['/', '/nights', '/nights/thanks']) await send('visitor-a', path)
    await send('visitor-b')
    await database.transaction(async (connection) => {
      const taken = await takeMarked(database, connection, 10)
      expect(taken?.map(({ visitorId, marks: each }) => [visitorId, each.length])).toEqual([
        [await idOf('visitor-a'), 3],
        [await idOf('visitor-b'), 1],
      ])
      await dropMarks(database, connection, taken ?? [])
      expect(await takeMarked(database, connection, 10)).toBeNull()
    })
    expect(await marks()).toBe(0)
  })

  it('can go on sending while being derived, and what was sent meanwhile is left to do', async () => {
    const { database } = server.services
    await send('visitor-a')
    await database.transaction(async (connection) => {
      const taken = (await takeMarked(database, connection, 10)) ?? []
      expect(taken).toHaveLength(1)
      // The collector answers although this transaction still holds the visitor, and goes on holding it.
      await send('visitor-a', '/while-being-derived')
      await dropMarks(database, connection, taken)
    })
    expect(await marks()).toBe(1)
    await database.transaction(async (connection) => {
      expect(await takeMarked(database, connection, 10)).toMatchObject([{ visitorId: await idOf('visitor-a'), marks: [expect.any(Number)] }])
    })
  })

  it('is derived by one worker at a time; others take who is left', async () => {
    const { database } = server.services
    for (const visitor of ['visitor-a', 'visitor-b', 'visitor-c']) await send(visitor)
    await database.transaction(async (first) => {
      const mine = (await takeMarked(database, first, 2)) ?? []
      expect(mine.map(({ visitorId }) => visitorId)).toEqual([await idOf('visitor-a'), await idOf('visitor-b')])
      await send('visitor-a', '/again')
      await database.transaction(async (second) => {
        const theirs = (await takeMarked(database, second, 10)) ?? []
        expect(theirs.map(({ visitorId }) => visitorId)).toEqual([await idOf('visitor-c')])
        await dropMarks(database, second, theirs)
      })
      // Somebody is marked, but there is nobody to take.
      await database.transaction(async (third) => expect(await takeMarked(database, third, 10)).toEqual([]))
      await dropMarks(database, first, mine)
    })
    expect(await marks()).toBe(1)
  })

  it('is left to do when the worker fails', async () => {
    const { database } = server.services
    await send('visitor-a')
    const failing = database.transaction(async (connection) => {
      await dropMarks(database, connection, (await takeMarked(database, connection, 10)) ?? [])
      throw new Error('no more power')
    })
    await expect(failing).rejects.toThrow('no more power')
    expect(await marks()).toBe(1)
  })

  it('waits no longer than who came later, however busy those are', async () => {
    const { database } = server.services
    await send('visitor-patient')
    for (let times = 0; times < 30; times++) await send('visitor-busy', `/${times}`)
    await database.transaction(async (connection) => {
      const [first] = (await takeMarked(database, connection, 1)) ?? []
      expect(first?.visitorId).toBe(await idOf('visitor-patient'))
    })
  })
})
