import { createHash, randomBytes, timingSafeEqual } from 'node:crypto'
import { hash, verify } from '@node-rs/argon2'
import type { Request, Response } from 'express'
import { Problem } from '../api/Problem.js'
import type { Actor, Role } from '../api/Route.js'
import type { Connection, Database } from '../database/Database.js'

/** Name of the session cookie. */
const COOKIE = 'acequia_session'
/** How long a session lasts, in ms. */
const SESSION_MS = 30 * 86_400_000
/** Wrong passwords allowed for one address or network before a pause. */
const MOST_TRIES = 10
/** The pause, and how long tries are remembered, in ms. */
const TRIES_MS = 10 * 60_000

/** Who may sign in, their sessions, and their roles on sites. */
export class People {
  private readonly tries = new Map<string, { count: number; since: number }>()

  constructor(
    private readonly database: Database,
    private readonly token: string | undefined,
  ) {}

  /** Whether nobody exists yet, so that the first visitor becomes the owner. */
  async isEmpty(): Promise<boolean> {
    return !(await this.database.row('SELECT id FROM people LIMIT 1'))
  }

  /** Creates the first person. @throws Problem when there already is one */
  async createFirst(person: { name: string; email: string; password: string }): Promise<number> {
    const passwordHash = await hash(person.password)
    return this.database.transaction(async (connection) => {
      const [[locked]] = await connection.query<import('../database/Database.js').Row[]>("SELECT GET_LOCK('acequia-first-person', 10) AS locked")
      try {
        if (locked?.locked !== 1 || (await this.database.row('SELECT id FROM people LIMIT 1', [], connection)))
          throw new Problem('conflict', 'The owner exists already; sign in instead.')
        const result = await this.database.run(
          'INSERT INTO people (email, name, password_hash, created_at) VALUES (?, ?, ?, ?)',
          [person.email.toLowerCase(), person.name, passwordHash, Date.now()],
          connection,
        )
        await this.database.run("INSERT INTO members (site_id, person_id, role) SELECT id, ?, 'owner' FROM sites", [result.insertId], connection)
        return result.insertId
      } finally {
        await connection.query("SELECT RELEASE_LOCK('acequia-first-person')")
      }
    })
  }

  /**
   * Checks a password and opens a session.
   * @throws Problem 401 when it is wrong, 429 after too many tries
   */
  async signIn(email: string, password: string, request: Request, response: Response): Promise<void> {
    const keys = [`email ${email.toLowerCase()}`, `network ${request.ip ?? ''}`]
    if (keys.some((key) => this.triesOf(key) >= MOST_TRIES)) {
      response.setHeader('Retry-After', String(TRIES_MS / 1000))
      throw new Problem('too-many', 'Too many wrong passwords. Wait ten minutes and try again.')
    }
    const person = await this.database.row<{ id: number; password_hash: string }>('SELECT id, password_hash FROM people WHERE email = ?', [email.toLowerCase()])
    // Verifying something in any case keeps the answer time from telling which addresses exist.
    const right = await verify(person?.password_hash ?? (await NOBODY), password)
    if (!person || !right) {
      for (const key of keys) this.tries.set(key, { count: this.triesOf(key) + 1, since: Date.now() })
      throw new Problem('sign-in', 'The e-mail address or the password is not right.')
    }
    for (const key of keys) this.tries.delete(key)
    await this.openSession(person.id, request, response)
  }

  /** Opens a session and sets its cookie. */
  async openSession(personId: number, request: Request, response: Response): Promise<void> {
    const token = randomBytes(32).toString('base64url')
    await this.database.run('DELETE FROM sessions WHERE expires_at < ?', [Date.now()])
    await this.database.run('INSERT INTO sessions (token_hash, person_id, expires_at) VALUES (?, ?, ?)', [hashOf(token), personId, Date.now() + SESSION_MS])
    response.cookie(COOKIE, token, { httpOnly: true, sameSite: 'lax', secure: request.secure, maxAge: SESSION_MS, path: '/' })
  }

  /** Ends the session of a request. */
  async signOut(request: Request, response: Response): Promise<void> {
    const token = cookieOf(request)
    if (token) await this.database.run('DELETE FROM sessions WHERE token_hash = ?', [hashOf(token)])
    response.clearCookie(COOKIE, { path: '/' })
  }

  /** Who asks, by API token or session cookie; null when nobody we know. */
  async whoAsks(request: Request): Promise<Actor | null> {
    const bearer = /^Bearer (.+)$/.exec(request.headers.authorization ?? '')?.[1]
    if (bearer !== undefined) {
      return this.token && timingSafeEqual(hashOf(bearer), hashOf(this.token)) ? { personId: null, name: 'API', email: null } : null
    }
    const token = cookieOf(request)
    if (!token) return null
    const person = await this.database.row<{ id: number; name: string; email: string }>(
      'SELECT p.id, p.name, p.email FROM sessions s JOIN people p ON p.id = s.person_id WHERE s.token_hash = ? AND s.expires_at > ?',
      [hashOf(token), Date.now()],
    )
    return person ? { personId: person.id, name: person.name, email: person.email } : null
  }

  /** The role of somebody on a site, or null. The token from the environment is owner everywhere. */
  async roleOn(siteId: number, actor: Actor): Promise<Role | null> {
    if (actor.personId === null) return 'owner'
    const row = await this.database.row<{ role: Role }>('SELECT role FROM members WHERE site_id = ? AND person_id = ?', [siteId, actor.personId])
    return row?.role ?? null
  }

  /** Makes whoever creates a site its owner; with a token, everybody who exists, as nobody else could reach it. */
  async ownNewSite(siteId: number, actor: Actor, connection: Connection): Promise<void> {
    if (actor.personId === null)
      await this.database.run("INSERT INTO members (site_id, person_id, role) SELECT ?, id, 'owner' FROM people", [siteId], connection)
    else await this.database.run("INSERT INTO members (site_id, person_id, role) VALUES (?, ?, 'owner')", [siteId, actor.personId], connection)
  }

  /** The ids of the sites somebody has a part in, with the role; 'all' for the token. */
  async sitesOf(actor: Actor): Promise<Map<number, Role> | 'all'> {
    if (actor.personId === null) return 'all'
    const rows = await this.database.rows<{ site_id: number; role: Role }>('SELECT site_id, role FROM members WHERE person_id = ?', [actor.personId])
    return new Map(rows.map((row) => [row.site_id, row.role]))
  }

  private triesOf(key: string): number {
    const tries = this.tries.get(key)
    if (tries && Date.now() - tries.since > TRIES_MS) this.tries.delete(key)
    if (this.tries.size > 10_000) this.tries.clear()
    return this.tries.get(key)?.count ?? 0
  }
}

/** A hash that no password fits. */
const NOBODY = hash(randomBytes(32).toString('hex'))

function hashOf(token: string): Buffer {
  return createHash('sha256').update(token).digest()
}

function cookieOf(request: Request): string | undefined {
  return (request.headers.cookie ?? '')
    .split(';')
    .map((each) => each.trim())
    .find((each) => each.startsWith(COOKIE + '='))
    ?.slice(COOKIE.length + 1)
}
