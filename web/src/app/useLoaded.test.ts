import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref, type EffectScope } from 'vue'
import { ApiProblem } from './api'
import { useLoaded } from './useLoaded'

let scope: EffectScope
beforeEach(() => {
  vi.useFakeTimers()
  scope = effectScope()
})
afterEach(() => {
  scope.stop()
  vi.useRealTimers()
})

/** A server that answers when it is told to. */
function slowServer(): {
  load: (signal: AbortSignal) => Promise<string>
  answers: ((text: string) => void)[]
  failures: ((error: Error) => void)[]
  signals: AbortSignal[]
} {
  const answers: ((text: string) => void)[] = []
  const failures: ((error: Error) => void)[] = []
  const signals: AbortSignal[] = []
  const load = (signal: AbortSignal): Promise<string> => {
    signals.push(signal)
    return new Promise((resolve, reject) => {
      answers.push(resolve)
      failures.push(reject)
    })
  }
  return { load, answers, failures, signals }
}
const settle = (): Promise<unknown> => vi.advanceTimersByTimeAsync(0)

describe('what a screen loads', () => {
  it('is asked for at once, and there when it is answered', async () => {
    const server = slowServer()
    const loaded = scope.run(() => useLoaded(server.load))!
    expect([loaded.data.value, loaded.loading.value]).toEqual([undefined, true])
    server.answers[0]?.('figures')
    await settle()
    expect([loaded.data.value, loaded.loading.value, loaded.error.value]).toEqual(['figures', false, ''])
  })

  it('is asked for again when what it depends on changes; the old stays until the new is there', async () => {
    const server = slowServer()
    const range = ref('may')
    const loaded = scope.run(() => useLoaded(server.load, [range]))!
    server.answers[0]?.('of may')
    await settle()
    range.value = 'june'
    await nextTick()
    await settle()
    expect([loaded.data.value, loaded.loading.value]).toEqual(['of may', true])
    server.answers[1]?.('of june')
    await settle()
    expect(loaded.data.value).toBe('of june')
  })

  it('is never an answer that was overtaken, however late it comes', async () => {
    const server = slowServer()
    const range = ref(1)
    const loaded = scope.run(() => useLoaded(server.load, [range]))!
    range.value = 2
    await nextTick()
    await settle()
    expect(server.signals[0]?.aborted).toBe(true)
    server.answers[1]?.('second')
    await settle()
    server.answers[0]?.('first, late')
    await settle()
    expect(loaded.data.value).toBe('second')
  })

  it('is asked for once where changes follow each other quickly', async () => {
    const server = slowServer()
    const typed = ref('')
    scope.run(() => useLoaded(server.load, [typed], 300))
    for (const letter of 'nights') {
      typed.value += letter
      await nextTick()
      await vi.advanceTimersByTimeAsync(100)
    }
    expect(server.answers).toHaveLength(1)
    await vi.advanceTimersByTimeAsync(300)
    expect(server.answers).toHaveLength(2)
  })

  it('counts as loading from the change on, also while further changes are waited for', async () => {
    const server = slowServer()
    const typed = ref('')
    const loaded = scope.run(() => useLoaded(server.load, [typed], 300))!
    typed.value = 'n'
    await nextTick()
    server.answers[0]?.('of nothing')
    await settle()
    expect([loaded.data.value, loaded.loading.value]).toEqual(['of nothing', true])
    await vi.advanceTimersByTimeAsync(300)
    server.answers[1]?.('of n')
    await settle()
    expect([loaded.data.value, loaded.loading.value]).toEqual(['of n', false])
  })

  it('says in words why it could not be loaded, keeps what was there, and forgets the error once it works', async () => {
    const server = slowServer()
    const loaded = scope.run(() => useLoaded(server.load))!
    server.answers[0]?.('figures')
    await settle()
    void loaded.reload()
    server.failures[1]?.(new ApiProblem(503, 'The database does not answer.', [], {}))
    await settle()
    expect([loaded.data.value, loaded.error.value, loaded.loading.value]).toEqual(['figures', 'The database does not answer.', false])
    void loaded.reload()
    server.answers[2]?.('new figures')
    await settle()
    expect([loaded.data.value, loaded.error.value]).toEqual(['new figures', ''])
  })

  it('is let go when the screen is left', async () => {
    const server = slowServer()
    const range = ref(1)
    const loaded = scope.run(() => useLoaded(server.load, [range], 300))!
    range.value = 2
    await nextTick()
    scope.stop()
    expect(server.signals[0]?.aborted).toBe(true)
    await vi.advanceTimersByTimeAsync(1000)
    expect(server.answers).toHaveLength(1)
    server.failures[0]?.(new Error('aborted'))
    await settle()
    expect(loaded.error.value).toBe('')
  })
})
