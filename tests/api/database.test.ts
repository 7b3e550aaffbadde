import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { Random } from '../../demo/src/visitors/Random.js'
import { Database } from '../../server/src/database/Database.js'
import { Dictionary } from '../../server/src/dictionaries/Dictionary.js'
import { startTestServer } from '../start/testServer.js'

let database: Database
beforeAll(async () => {
  database = new Database(inject('databaseUrl'), { connections: 3 })
  await database.run('CREATE OR REPLACE TABLE test_rows (id INT NOT NULL PRIMARY KEY, text VARCHAR(4) NOT NULL)')
})
afterAll(async () => {
  await database.run('DROP TABLE test_rows')
  await database.close()
})

describe('the clock that all processes share', () => {
  it('is the database’s, whatever a process’s own says', async () => {
    const [{ at }] = (await database.rows<{ at: number }>('SELECT CAST(UNIX_TIMESTAMP(NOW(3)) * 1000 AS SIGNED) AS at')) as [{ at: number }]
    expect(Math.abs((await database.now()) - at)).toBeLessThan(2000)
    const own = Date.now
    try {
      Date.now = () => own() + 3_600_000
      expect(Math.abs((await database.now()) - at)).toBeLessThan(5000)
    } finally {
      Date.now = own
    }
  })
})

describe('dictionaries', () => {
  it('give every text one number, though many processes add the same ones at once, in any order', async () => {
    const server = await startTestServer(inject('databaseUrl'))
    const texts = Array.from({ length: 300 }, (_, index) => `https://altolucero.example/page-${index}`)
    const random = new Random(3)
    const shuffled = (): string[] =>
      texts
        .map((text) => [random.next(), text] as const)
        .sort((a, b) => a[0] - b[0])
        .map(([, text]) => text)
    for (let round = 0; round < 5; round++) {
      const found = await Promise.all(Array.from({ length: 8 }, () => new Dictionary(server.services.database, 'addresses').idsOf(round + 1, shuffled())))
      for (const ids of found) expect([...ids].sort()).toEqual([...(found[0] as Map<string, number>)].sort())
      expect(new Set(found[0]?.values()).size).toBe(texts.length)
    }
    await server.stop()
  })
})

describe('on every connection', () => {
  it('a transaction sees what others committed after it began', async () => {
    const seen = await database.transaction(async (connection) => {
      const before = await database.rows('SELECT * FROM test_rows WHERE id = 1', [], connection)
      await database.run("INSERT INTO test_rows VALUES (1, 'a')")
      return [before.length, (await database.rows('SELECT * FROM test_rows WHERE id = 1', [], connection)).length]
    })
    expect(seen).toEqual([0, 1])
  })

  it('two transactions write side by side where neither has rows that the other one removes', async () => {
    await database.run("INSERT INTO test_rows VALUES (50, 'x')")
    await database.transaction(async (one) => {
      await database.run('DELETE FROM test_rows WHERE id BETWEEN 10 AND 20', [], one)
      // With gaps locked, this one would wait for the other, which waits for it.
      await database.transaction(async (other) => {
        await database.run('DELETE FROM test_rows WHERE id BETWEEN 30 AND 40', [], other)
        await database.run("INSERT INTO test_rows VALUES (30, 'b')", [], other)
      })
      await database.run("INSERT INTO test_rows VALUES (10, 'c')", [], one)
    })
    expect((await database.rows<{ id: number }>('SELECT id FROM test_rows WHERE id IN (10, 30) ORDER BY id')).map(({ id }) => id)).toEqual([10, 30])
  })

  it('times are UTC, and a text that is too long is refused instead of cut', async () => {
    expect(await database.row('SELECT @@session.time_zone AS zone')).toEqual({ zone: '+00:00' })
    await expect(database.run("INSERT INTO test_rows VALUES (2, 'too long')")).rejects.toThrow(/too long/i)
  })

  it('what cannot be set makes the connection unusable, never a different one', async () => {
    const refused = new Database(inject('databaseUrl'), { connections: 1, session: ["SET SESSION no_such_setting = '1'"] })
    await expect(refused.rows('SELECT 1')).rejects.toThrow()
    await refused.close()
  })
})

describe('statements sent together', () => {
  let together: Database
  beforeAll(() => {
    together = new Database(inject('databaseUrl'), { connections: 2, several: true })
  })
  afterAll(() => together.close())
  const ids = async (): Promise<number[]> => (await database.rows<{ id: number }>('SELECT id FROM test_rows WHERE id >= 100 ORDER BY id')).map(({ id }) => id)

  it('are one transaction: all of them, or none', async () => {
    await together.atOnce([
      { sql: 'INSERT INTO test_rows VALUES ?', values: [[[100, 'a']]] },
      { sql: 'INSERT INTO test_rows VALUES ?', values: [[[101, 'b']]] },
    ])
    const second = [
      { sql: 'INSERT INTO test_rows VALUES ?', values: [[[102, 'c']]] },
      { sql: 'INSERT INTO test_rows VALUES ?', values: [[[100, 'again']]] },
      { sql: 'INSERT INTO test_rows VALUES ?', values: [[[103, 'd']]] },
    ]
    await expect(together.atOnce(second)).rejects.toMatchObject({ code: expect.stringMatching(/ER_DUP_ENTRY|ER_DATA_TOO_LONG/) })
    expect(await ids()).toEqual([100, 101])
    // Nothing is left open on the connection that failed.
    await together.atOnce([{ sql: 'INSERT INTO test_rows VALUES ?', values: [[[104, 'e']]] }])
    expect(await ids()).toEqual([100, 101, 104])
  })

  it('take every text for a text', async () => {
    await database.run('CREATE OR REPLACE TABLE test_texts (id INT NOT NULL PRIMARY KEY, text TEXT NOT NULL)')
    const texts = ["'; DROP TABLE test_rows; --", 'a\\', "\\'; DELETE FROM test_rows; #", '?', '\u0000\u001a\n"', '${x} /* */', '日本 🌙']
    await together.atOnce(texts.map((text, id) => ({ sql: 'INSERT INTO test_texts VALUES ?', values: [[[id, text]]] })))
    expect((await database.rows<{ text: string }>('SELECT text FROM test_texts ORDER BY id')).map(({ text }) => text)).toEqual(texts)
    expect((await ids()).length).toBeGreaterThan(0)
    await database.run('DROP TABLE test_texts')
  })

  it('are refused everywhere else, so that nothing slips a second one in', async () => {
    await expect(database.rows("SELECT 1; INSERT INTO test_rows VALUES (999, 'z')")).rejects.toThrow()
    expect(await ids()).not.toContain(999)
  })

  it('come again from the start where they lost a deadlock', async () => {
    await database.run("INSERT INTO test_rows VALUES (200, 'p'), (201, 'q')")
    const touch = (id: number): { sql: string; values: unknown[] } => ({
      sql: 'UPDATE test_rows SET text = ? WHERE id = ?',
      values: [String(Math.random()).slice(2, 6), id],
    })
    const work = Array.from({ length: 60 }, (_, index) => together.atOnce(index % 2 ? [touch(200), touch(201)] : [touch(201), touch(200)]))
    await expect(Promise.all(work)).resolves.toHaveLength(60)
  })
})
