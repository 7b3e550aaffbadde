import { hash } from 'node:crypto'
import type { Connection, Database, Statement } from '../database/Database.js'
import type { NewText, NewTexts, Taker } from './NewTexts.js'
import { Numbers } from './Numbers.js'

/** The tables that hold each distinct text of a site once. */
export type DictionaryTable = 'visitors' | 'event_names' | 'addresses' | 'address_rests' | 'titles' | 'referrers' | 'agents' | 'places' | 'sources' | 'tag_sets'

/** Texts remembered in each direction before the memory is cleared, and characters of all of them: visitors can send long ones. */
const MOST_REMEMBERED = 200_000
const MOST_CHARACTERS = 8_000_000
/** Texts looked up at once: from a thousand values on MariaDB takes a list for a table to be joined. */
const AT_ONCE = 900

/** One dictionary table: gives texts small numbers and the other way round. */
export class Dictionary implements Taker {
  private readonly ids = new Memory<string, number>()
  private readonly texts = new Memory<number, string>()
  private readonly numbers: Numbers
  /** Groups of events that look after texts right now, by their keys. */
  private readonly coming = new Map<string, NewTexts>()

  constructor(
    private readonly database: Database,
    private readonly table: DictionaryTable,
  ) {
    this.numbers = new Numbers(database, table)
  }

  /**
   * The ids of texts in a site, for events that will be stored together with those texts that are new. All dictionaries must
   * be asked for a group in one turn of the event loop: then groups only ever wait for those that asked before them.
   * @param group takes the new texts along; asks for each site once
   */
  async idsFor(siteId: number, texts: Iterable<string>, group: NewTexts): Promise<Map<string, number>> {
    const found = new Map<string, number>()
    const mine: string[] = []
    const others = new Map<string, NewTexts>()
    for (const text of new Set(texts)) {
      const key = keyOf(siteId, text)
      const id = this.ids.get(key)
      const other = this.coming.get(key)
      if (id !== undefined) found.set(text, id)
      else if (other) others.set(text, other)
      else {
        mine.push(text)
        this.coming.set(key, group)
      }
    }
    group.lookAfter(
      this,
      mine.map((text) => keyOf(siteId, text)),
    )
    for (let start = 0; start < mine.length; start += AT_ONCE) {
      const part = byHash(mine.slice(start, start + AT_ONCE))
      await this.look(siteId, part, found)
      if (!part.size) continue
      const numbers = await this.numbers.take(part.size)
      const added = [...part].map(([hex, text], index): NewText => ({ id: numbers[index] as number, siteId, hash: Buffer.from(hex, 'hex'), text }))
      for (const { text, id } of added) found.set(text, id)
      group.bring(this, added)
    }
    if (others.size) {
      await Promise.all([...others.values()].map((other) => other.ended))
      for (const [text, id] of await this.idsOf(siteId, others.keys())) found.set(text, id)
    }
    return found
  }

  insertion(texts: readonly NewText[]): Statement {
    const rows = [...texts].sort((a, b) => a.siteId - b.siteId || a.hash.compare(b.hash)).map(({ id, siteId, hash, text }) => [id, siteId, hash, text])
    return { sql: `INSERT INTO ${this.table} (id, site_id, hash, text) VALUES ?`, values: [rows] }
  }

  remember(texts: readonly NewText[]): void {
    for (const { id, siteId, text } of texts) this.ids.set(keyOf(siteId, text), id, text.length)
  }

  release(keys: readonly string[]): void {
    for (const key of keys) this.coming.delete(key)
  }

  /** The ids of texts in a site, adding those that are new at once, outside any transaction of the caller's. */
  async idsOf(siteId: number, texts: Iterable<string>): Promise<Map<string, number>> {
    const found = new Map<string, number>()
    const missing: string[] = []
    for (const text of new Set(texts)) {
      const id = this.ids.get(keyOf(siteId, text))
      if (id === undefined) missing.push(text)
      else found.set(text, id)
    }
    for (let start = 0; start < missing.length; start += AT_ONCE) {
      const part = byHash(missing.slice(start, start + AT_ONCE))
      await this.look(siteId, part, found)
      if (part.size) await this.add(siteId, part, found)
      // Somebody else added it in between.
      if (part.size) await this.look(siteId, part, found)
      if (part.size) throw new Error(`${part.size} texts could not be added to ${this.table}`)
    }
    return found
  }

  /** The texts of ids. Ids that do not exist are left out. */
  async textsOf(ids: Iterable<number>, connection: Connection = this.database.pool): Promise<Map<number, string>> {
    const found = new Map<number, string>()
    const missing: number[] = []
    for (const id of new Set(ids)) {
      const text = this.texts.get(id)
      if (text === undefined) missing.push(id)
      else found.set(id, text)
    }
    for (let start = 0; start < missing.length; start += 5000) {
      const rows = await this.database.rows<{ id: number; text: string }>(
        `SELECT id, text FROM ${this.table} WHERE id IN (?)`,
        [missing.slice(start, start + 5000)],
        connection,
      )
      for (const { id, text } of rows) {
        found.set(id, text)
        this.texts.set(id, text, text.length)
      }
    }
    return found
  }

  /** Looks texts up by hash; moves those found from `part` to `found`. */
  private async look(siteId: number, part: Map<string, string>, found: Map<string, number>): Promise<void> {
    const rows = await this.database.rows<Entry>(`SELECT id, hash FROM ${this.table} WHERE site_id = ? AND hash IN (?)`, [
      siteId,
      [...part.keys()].map((hex) => Buffer.from(hex, 'hex')),
    ])
    this.take(siteId, rows, part, found)
  }

  /** Adds texts; moves those that were not there from `part` to `found`. */
  private async add(siteId: number, part: Map<string, string>, found: Map<string, number>): Promise<void> {
    // Always in the same order, so that two writers cannot lock each other out.
    const numbers = await this.numbers.take(part.size)
    const rows = [...part].sort((a, b) => (a[0] < b[0] ? -1 : 1)).map(([hex, text], index) => [numbers[index], siteId, Buffer.from(hex, 'hex'), text])
    const added = await this.database.rows<Entry>(`INSERT IGNORE INTO ${this.table} (id, site_id, hash, text) VALUES ? RETURNING id, hash`, [rows])
    this.take(siteId, added, part, found)
  }

  private take(siteId: number, rows: Entry[], part: Map<string, string>, found: Map<string, number>): void {
    for (const { id, hash } of rows) {
      const hex = hash.toString('hex')
      const text = part.get(hex)
      if (text === undefined) continue
      part.delete(hex)
      found.set(text, id)
      this.ids.set(keyOf(siteId, text), id, text.length)
    }
  }
}

function byHash(texts: readonly string[]): Map<string, string> {
  return new Map(texts.map((text) => [hashOf(text).toString('hex'), text]))
}

interface Entry {
  id: number
  hash: Buffer
}

/** What is remembered, within bounds. */
class Memory<Key, Value> {
  private readonly known = new Map<Key, Value>()
  private characters = 0

  get(key: Key): Value | undefined {
    return this.known.get(key)
  }

  /** @param characters about how long the entry is */
  set(key: Key, value: Value, characters: number): void {
    if (this.known.size >= MOST_REMEMBERED || this.characters + characters > MOST_CHARACTERS) {
      this.known.clear()
      this.characters = 0
    }
    this.known.set(key, value)
    this.characters += characters
  }
}

function keyOf(siteId: number, text: string): string {
  return `${siteId} ${text}`
}

/** The key of a text in its dictionary: the first half of its SHA-256. */
export function hashOf(text: string): Buffer {
  return hash('sha256', text, 'buffer').subarray(0, 16)
}
