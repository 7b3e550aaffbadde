import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import { useKeptDraft } from './useKeptDraft'

interface Note {
  name: string
  tags: string[]
}
const EMPTY: Note = { name: '', tags: [] }
let kept: Map<string, string>
beforeEach(() => {
  kept = new Map()
  vi.stubGlobal('sessionStorage', {
    getItem: (name: string) => kept.get(name) ?? null,
    setItem: (name: string, value: string) => kept.set(name, value),
    removeItem: (name: string) => kept.delete(name),
  })
})
afterEach(() => vi.unstubAllGlobals())

/** An editor as it stands after the page was opened and what is saved was loaded. */
async function open(name: string, saved: Note): Promise<ReturnType<typeof useKeptDraft<Note>>> {
  const editor = useKeptDraft<Note>(name, EMPTY)
  editor.accept(saved)
  await nextTick()
  return editor
}

describe('what is being edited', () => {
  it('is what is saved, until something is changed', async () => {
    const editor = await open('goal', { name: 'Booked', tags: ['a'] })
    expect(editor.draft.value).toEqual({ name: 'Booked', tags: ['a'] })
    expect(editor.changed.value).toBe(false)
    editor.draft.value.tags.push('b')
    await nextTick()
    expect(editor.changed.value).toBe(true)
  })

  it('survives a reload, and is put on top of what was saved meanwhile', async () => {
    const before = await open('goal', { name: 'Booked', tags: [] })
    before.draft.value.name = 'Booked a night'
    await nextTick()
    const after = await open('goal', { name: 'Booked', tags: ['by somebody else'] })
    expect(after.draft.value.name).toBe('Booked a night')
    expect(after.changed.value).toBe(true)
  })

  it('of one thing does not turn up in another', async () => {
    const one = await open('goal.1', { name: 'One', tags: [] })
    one.draft.value.name = 'changed'
    await nextTick()
    expect((await open('goal.2', { name: 'Two', tags: [] })).draft.value.name).toBe('Two')
  })

  it('is no change any more when it was put back by hand', async () => {
    const editor = await open('goal', { name: 'Booked', tags: [] })
    editor.draft.value.name = 'x'
    await nextTick()
    editor.draft.value.name = 'Booked'
    await nextTick()
    expect(editor.changed.value).toBe(false)
    expect(kept.size).toBe(0)
  })

  it('can be given up, and what is saved is left as it was', async () => {
    const saved = { name: 'Booked', tags: ['a'] }
    const editor = await open('goal', saved)
    editor.draft.value.tags.push('b')
    editor.draft.value.name = 'x'
    await nextTick()
    editor.discard()
    expect(editor.draft.value).toEqual({ name: 'Booked', tags: ['a'] })
    expect(editor.changed.value).toBe(false)
    expect(saved.tags).toEqual(['a'])
    expect((await open('goal', saved)).changed.value).toBe(false)
  })

  it('is what was saved once it was saved, and given up only to that', async () => {
    const editor = await open('goal', { name: 'Booked', tags: [] })
    editor.draft.value.name = 'Booked a night'
    await nextTick()
    editor.settle({ name: 'Booked a night', tags: ['from the server'] })
    expect(editor.changed.value).toBe(false)
    editor.draft.value.name = 'x'
    await nextTick()
    editor.discard()
    expect(editor.draft.value).toEqual({ name: 'Booked a night', tags: ['from the server'] })
  })
})
