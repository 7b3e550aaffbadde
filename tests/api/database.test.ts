import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { Database } from '../../server/src/database/Database.js'

let database: Database
beforeAll(async () => {
  database = new Database(inject('databaseUrl'), { connections: 3 })
  await database.run('CREATE OR REPLACE TABLE test_rows (id INT NOT NULL PRIMARY KEY, text VARCHAR(4) NOT NULL)')
})
afterAll(async () => {
  await database.run('DROP TABLE test_rows')
  await database.close()
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
