import { appendFileSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { CannotStoreError, type IncomingBatch } from './EventWriter.js'
import { Spool } from './Spool.js'

let folder: string
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'acequia-spool-'))))
afterEach(() => rmSync(folder, { recursive: true, force: true }))

const PLENTY = 1024 ** 2
/** A batch with one event of a visitor, by whom it is known. */
const batch = (visitor: string): IncomingBatch => ({ siteId: 1, events: [{ visitor, event: {} as IncomingBatch['events'][number]['event'] }] })
const visitorsOf = (batches: readonly IncomingBatch[]): string[] => batches.flatMap(({ events }) => events.map(({ visitor }) => visitor))
/** Everything a spool hands over, in order. */
async function drained(spool: Spool): Promise<string[]> {
  const names: string[] = []
  await spool.drain((batches) => {
    names.push(...visitorsOf(batches))
    return Promise.resolve()
  })
  return names
}

describe('what the database cannot take', () => {
  it('waits on disk and is handed over in the order in which it came, and then is gone', async () => {
    const spool = new Spool(folder, PLENTY)
    expect(spool.isEmpty()).toBe(true)
    await spool.append([batch('one'), batch('two')])
    await spool.append([batch('three')])
    expect(spool.isEmpty()).toBe(false)
    expect(spool.bytes).toBe(readdirSync(folder).reduce((sum, name) => sum + statSync(join(folder, name)).size, 0))
    expect(await drained(spool)).toEqual(['one', 'two', 'three'])
    expect(spool.isEmpty()).toBe(true)
    expect(spool.bytes).toBe(0)
    expect(readdirSync(folder)).toEqual([])
    expect(await drained(spool)).toEqual([])
  })

  it('is found again by the next process, before what comes later', async () => {
    await new Spool(folder, PLENTY).append([batch('of the first process')])
    const second = new Spool(folder, PLENTY)
    expect(second.isEmpty()).toBe(false)
    expect(second.bytes).toBeGreaterThan(0)
    await second.append([batch('of the second process')])
    expect(await drained(second)).toEqual(['of the first process', 'of the second process'])
  })

  it('is handed over in portions, however much it is', async () => {
    const spool = new Spool(folder, PLENTY)
    const names = Array.from({ length: 501 }, (_, index) => `visitor-${index}`)
    await spool.append(names.map(batch))
    const sizes: number[] = []
    await spool.drain((batches) => {
      sizes.push(batches.length)
      return Promise.resolve()
    })
    expect(sizes.every((size) => size <= 200)).toBe(true)
    expect(sizes.reduce((sum, size) => sum + size, 0)).toBe(501)
  })

  it('may come while the rest is being handed over; each is handed over once', async () => {
    const spool = new Spool(folder, PLENTY)
    await spool.append([batch('one')])
    const names: string[] = []
    await spool.drain(async (batches) => {
      names.push(...visitorsOf(batches))
      if (names.length < 4) await Promise.all([spool.append([batch(`during ${names.length}`)])])
    })
    expect(names).toEqual(['one', 'during 1', 'during 2', 'during 3'])
    expect(spool.isEmpty()).toBe(true)
  })

  it('from many at once is neither mixed up nor lost', async () => {
    const spool = new Spool(folder, PLENTY)
    const names = Array.from({ length: 200 }, (_, index) => `visitor-${index}`)
    await Promise.all(names.map((name) => spool.append([batch(name)])))
    expect(await drained(spool)).toEqual(names)
  })
})

describe('when handing over fails', () => {
  it('everything of that file stays, and comes again', async () => {
    const spool = new Spool(folder, PLENTY)
    await spool.append(Array.from({ length: 300 }, (_, index) => batch(`v${index}`)))
    let calls = 0
    await expect(spool.drain(() => (++calls === 2 ? Promise.reject(new Error('away again')) : Promise.resolve()))).rejects.toThrow('away again')
    expect(spool.isEmpty()).toBe(false)
    expect(await drained(spool)).toHaveLength(300)
  })

  it('more can be appended afterwards, and nothing before it is lost', async () => {
    const spool = new Spool(folder, PLENTY)
    await spool.append([batch('one')])
    await expect(spool.drain(() => Promise.reject(new Error('away')))).rejects.toThrow()
    await spool.append([batch('two')])
    expect(await drained(spool)).toEqual(['one', 'two'])
  })

  it('what the log refuses for good can be set aside, with the reason, and does not come again', async () => {
    const spool = new Spool(folder, PLENTY)
    await spool.setAside(batch('odd'), 'no such site')
    const [name = ''] = readdirSync(folder)
    expect(JSON.parse(readFileSync(join(folder, name), 'utf8'))).toMatchObject({ reason: 'no such site', events: [{ visitor: 'odd' }] })
    expect(new Spool(folder, PLENTY).isEmpty()).toBe(true)
  })
})

describe('after a crash', () => {
  it('a line that was not written to its end is left out: nobody was told that it was taken', async () => {
    await new Spool(folder, PLENTY).append([batch('whole'), batch('also whole')])
    const [name = ''] = readdirSync(folder)
    appendFileSync(join(folder, name), JSON.stringify(batch('torn')).slice(0, 20))
    const next = new Spool(folder, PLENTY)
    await next.append([batch('later')])
    expect(await drained(next)).toEqual(['whole', 'also whole', 'later'])
  })

  it('files of other programs in its folder are left alone', async () => {
    for (const name of ['notes.txt', '1-2.ndjson.bak', 'refused.ndjson']) writeFileSync(join(folder, name), 'x\n')
    mkdirSync(join(folder, 'old'))
    expect(await drained(new Spool(folder, PLENTY))).toEqual([])
    expect(readdirSync(folder).sort()).toEqual(['1-2.ndjson.bak', 'notes.txt', 'old', 'refused.ndjson'])
  })
})

describe('when there is no room', () => {
  it('says so before anything is written, and takes what fits', async () => {
    const spool = new Spool(folder, 200)
    await spool.append([batch('one')])
    await expect(spool.append([batch('x'.repeat(300))])).rejects.toThrow(CannotStoreError)
    await spool.append([batch('two')])
    expect(await drained(spool)).toEqual(['one', 'two'])
  })

  it('has room again once something was handed over', async () => {
    const spool = new Spool(folder, 100)
    await spool.append([batch('one')])
    await expect(spool.append([batch('two'), batch('three')])).rejects.toThrow('full')
    await drained(spool)
    await spool.append([batch('two')])
    expect(await drained(spool)).toEqual(['two'])
  })

  it('says so when the folder cannot be written, and goes on when it can', async () => {
    const spool = new Spool(folder, PLENTY)
    rmSync(folder, { recursive: true })
    await expect(spool.append([batch('lost')])).rejects.toThrow(CannotStoreError)
    mkdirSync(folder)
    await spool.append([batch('kept')])
    expect(await drained(spool)).toEqual(['kept'])
  })
})
