import mysql, { type Connection as CallbackConnection, type Pool as CallbackPool, type PoolConnection as CallbackPoolConnection } from 'mysql2'
import type { Pool, PoolConnection, ResultSetHeader, RowDataPacket } from 'mysql2/promise'

/** A row as it comes from MariaDB. */
export type Row = RowDataPacket
/** A connection, inside or outside a transaction. */
export type Connection = Pool | PoolConnection

/** How long the difference to the database's clock is trusted, in ms. */
const MEASURED_MS = 60_000

/** A statement with the values for its places. */
export interface Statement {
  sql: string
  values: unknown[]
}

/** Errors after which the same transaction may simply be tried again: deadlock, lock wait, snapshot changed. */
const TRY_AGAIN = new Set(['ER_LOCK_DEADLOCK', 'ER_LOCK_WAIT_TIMEOUT', 'ER_CHECKREAD'])

/** Error codes that say the database is away rather than the statement wrong. */
const AWAY =
  /^(ECONNREFUSED|ECONNRESET|EPIPE|ETIMEDOUT|ENOTFOUND|PROTOCOL_CONNECTION_LOST|PROTOCOL_SEQUENCE_TIMEOUT|ER_SERVER_SHUTDOWN|ER_CON_COUNT_ERROR|POOL_CLOSED|ER_NORMAL_SHUTDOWN|PROTOCOL_ENQUEUE_AFTER_FATAL_ERROR)$/

/**
 * What holds on every connection. READ COMMITTED: derivation must see what was committed after its transaction
 * began, and locks no gaps between rows, in which others would have to wait.
 */
const SESSION = [
  'SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED',
  "SET SESSION time_zone = '+00:00', sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION'",
]

/** The connections to one MariaDB. */
export class Database {
  private readonly raw: CallbackPool
  /** For single statements outside transactions. */
  readonly pool: Pool
  /** When the database's clock was looked at, and how far it is ahead of the one that began with this process, in ms. */
  private measured: { by: number; ahead: number } | undefined
  private measuring: Promise<void> | undefined

  /**
   * @param options.statementMs after so many ms without an answer the database counts as away; a database that
   *   hangs says nothing
   * @param options.several whether one text may hold several statements, as `atOnce` sends them
   * @param options.session statements that every connection begins with, instead of the usual ones
   */
  constructor(
    url: string,
    private readonly options: { connections?: number; statementMs?: number; several?: boolean; session?: string[] } = {},
  ) {
    this.raw = mysql.createPool({
      uri: url,
      connectionLimit: options.connections ?? 12,
      // So that `affectedRows` of an upsert tells new rows from known ones.
      flags: ['-FOUND_ROWS'],
      charset: 'utf8mb4_bin',
      dateStrings: true,
      supportBigNumbers: true,
      connectTimeout: 5000,
      multipleStatements: options.several ?? false,
      // Remembering for each statement where it was asked for costs more than many of them take.
      trace: false,
    })
    this.raw.on('connection', (connection: CallbackConnection) => {
      for (const statement of options.session ?? SESSION)
        connection.query(statement, (error) => {
          // Without them statements would wait for each other, or mean something else: rather none at all.
          if (error) connection.destroy()
        })
    })
    this.pool = this.raw.promise()
  }

  /** Runs a query and gives its rows. */
  async rows<T = Row>(sql: string, values: unknown[] = [], connection: Connection = this.pool): Promise<T[]> {
    return (await this.query<Row[]>(sql, values, connection)) as T[]
  }

  /** Runs a query and gives its first row. */
  async row<T = Row>(sql: string, values: unknown[] = [], connection: Connection = this.pool): Promise<T | undefined> {
    return (await this.rows<T>(sql, values, connection))[0]
  }

  /** Runs a statement that changes something. */
  run(sql: string, values: unknown[] = [], connection: Connection = this.pool): Promise<ResultSetHeader> {
    return this.query<ResultSetHeader>(sql, values, connection)
  }

  /** A statement by itself that lost a deadlock has done nothing, and is tried again; in a transaction all of that is. */
  private async query<R extends Row[] | ResultSetHeader>(sql: string, values: unknown[], connection: Connection): Promise<R> {
    for (let attempt = 1; ; attempt++) {
      try {
        return (await connection.query<R>({ sql, ...this.timeout() }, values))[0]
      } catch (error) {
        if (connection !== this.pool || attempt >= 10 || !TRY_AGAIN.has((error as { code?: string }).code ?? '')) throw error
        await new Promise((resolve) => setTimeout(resolve, attempt * 10 * Math.random()))
      }
    }
  }

  /**
   * What time it is by the database's clock, in ms since 1970: the one that all processes share, whatever their own
   * clocks say and however those are set meanwhile.
   */
  async now(): Promise<number> {
    if (!this.measured || performance.now() - this.measured.by > MEASURED_MS) {
      this.measuring ??= this.measure().finally(() => (this.measuring = undefined))
      // Who holds a connection must not wait for another one: what was measured before is good enough meanwhile.
      if (this.measured) this.measuring.catch(() => undefined)
      else await this.measuring
    }
    return Math.round(performance.now() + (this.measured as { ahead: number }).ahead)
  }

  private async measure(): Promise<void> {
    const asked = performance.now()
    const row = await this.row<{ now: number }>('SELECT CAST(UNIX_TIMESTAMP(NOW(3)) * 1000 AS SIGNED) AS now')
    const by = performance.now()
    this.measured = { by, ahead: (row?.now ?? Date.now()) - (asked + by) / 2 }
  }

  /** Gives rows one by one as they arrive, without holding them all in memory. */
  async *stream<T = Row>(sql: string, values: unknown[] = []): AsyncGenerator<T> {
    const connection = await new Promise<CallbackPoolConnection>((resolve, reject) =>
      this.raw.getConnection((error, got) => (error ? reject(error) : resolve(got))),
    )
    let complete = false
    try {
      for await (const row of connection.query(sql, values).stream({ highWaterMark: 1000 })) yield row as T
      complete = true
    } finally {
      // A connection with an unread result cannot be used again.
      if (complete) connection.release()
      else connection.destroy()
    }
  }

  /**
   * Runs work in one transaction, again from the start where it lost a deadlock (at most 10 times).
   * The work must have no effects outside the database.
   */
  transaction<T>(work: (connection: PoolConnection) => Promise<T>): Promise<T> {
    return this.again(async (connection) => {
      await connection.beginTransaction()
      const result = await work(connection)
      await connection.commit()
      return result
    })
  }

  /** Runs statements in one transaction, all of them sent together; needs `several`. Again from the start as above. */
  async atOnce(statements: Statement[]): Promise<void> {
    const sql = ['START TRANSACTION', ...statements.map((each) => mysql.format(each.sql, each.values as Parameters<typeof mysql.format>[1])), 'COMMIT'].join(
      ';\n',
    )
    await this.again((connection) => connection.query({ sql, ...this.timeout() }))
  }

  private async again<T>(work: (connection: PoolConnection) => Promise<T>): Promise<T> {
    for (let attempt = 1; ; attempt++) {
      const connection = await this.pool.getConnection()
      let broken = false
      try {
        return await work(connection)
      } catch (error) {
        await connection.rollback().catch(() => (broken = true))
        if (attempt >= 10 || !TRY_AGAIN.has((error as { code?: string }).code ?? '')) throw error
        await new Promise((resolve) => setTimeout(resolve, attempt * 10 * Math.random()))
      } finally {
        if (broken) connection.destroy()
        else connection.release()
      }
    }
  }

  private timeout(): { timeout?: number } {
    return this.options.statementMs === undefined ? {} : { timeout: this.options.statementMs }
  }

  /** Closes all connections. */
  async close(): Promise<void> {
    await this.pool.end()
  }
}

/** Tells whether an error means that the database is away, as opposed to a statement that is wrong. */
export function isAway(error: unknown): boolean {
  const { code, fatal } = error as { code?: string; fatal?: boolean }
  return AWAY.test(code ?? '') || fatal === true || (error instanceof Error && /pool is closed/i.test(error.message))
}
