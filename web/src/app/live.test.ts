import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useLive } from './live'

/** The browser's side of a stream, to be fed by hand. */
class Stream {
  static all: Stream[] = []
  onopen = (): void => undefined
  onerror = (): void => undefined
  closed = false
  private readonly listeners = new Map<string, (event: { data: string }) => void>()

  constructor(readonly url: string) {
    Stream.all.push(this)
  }

  addEventListener(name: string, listener: (event: { data: string }) => void): void {
    this.listeners.set(name, listener)
  }

  /** As if the server had sent this. */
  says(name: string, data: unknown = {}): void {
    this.listeners.get(name)?.({ data: JSON.stringify(data) })
  }

  close(): void {
    this.closed = true
  }
}

let live: ReturnType<typeof useLive>
beforeEach(() => {
  Stream.all = []
  vi.stubGlobal('EventSource', Stream)
  setActivePinia(createPinia())
  live = useLive()
})
afterEach(() => vi.unstubAllGlobals())
const conversions = (...uids: string[]): { uid: string }[] => uids.map((uid) => ({ uid }))

describe('what happens right now', () => {
  it('is followed for the site on screen, in one stream', () => {
    live.follow('one')
    live.follow('one')
    expect(Stream.all.map(({ url }) => url)).toEqual(['/api/v1/sites/one/live'])
    live.follow('other')
    expect(Stream.all.map(({ closed }) => closed)).toEqual([true, false])
  })

  it('of another site starts empty', () => {
    live.follow('one')
    Stream.all[0]?.says('pulse', { perMinute: 40 })
    Stream.all[0]?.says('conversions', conversions('a'))
    expect([live.perMinute, live.latest.length]).toEqual([40, 1])
    live.follow('other')
    expect([live.perMinute, live.latest.length]).toEqual([null, 0])
  })

  it('shows the latest conversions first, fifty of them', () => {
    live.follow('one')
    Stream.all[0]?.says('conversions', conversions('a', 'b'))
    Stream.all[0]?.says('conversions', conversions('c'))
    expect(live.latest.map(({ uid }) => uid)).toEqual(['c', 'b', 'a'])
    for (let number = 0; number < 60; number++) Stream.all[0]?.says('conversions', conversions(`n${number}`))
    expect(live.latest).toHaveLength(50)
    expect(live.latest[0]?.uid).toBe('n59')
  })

  it('says when figures may have changed', () => {
    live.follow('one')
    const before = live.changes
    Stream.all[0]?.says('changed')
    Stream.all[0]?.says('conversions', conversions('a'))
    Stream.all[0]?.says('pulse', { perMinute: 1 })
    expect(live.changes).toBe(before + 2)
  })

  it('says whether it is connected', () => {
    live.follow('one')
    expect(live.connected).toBe(false)
    Stream.all[0]?.onopen()
    expect(live.connected).toBe(true)
    Stream.all[0]?.onerror()
    expect(live.connected).toBe(false)
    Stream.all[0]?.onopen()
    live.stop()
    expect([live.connected, Stream.all[0]?.closed]).toEqual([false, true])
    live.follow('one')
    expect(Stream.all).toHaveLength(2)
  })
})
