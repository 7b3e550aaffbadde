import { wiringSchema, type Wiring } from '@acequia/core/wiring/wiringSchema'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { useDraftHistory } from './draftHistory'

/** A draft that is told from others by how many triggers it has. */
const draft = (triggers: number): Wiring =>
  wiringSchema.parse({ triggers: Array.from({ length: triggers }, (_, index) => ({ id: `t${index}`, moment: { type: 'page-view' } })), tags: [] })
const step = (number: number, what = `change ${number}`): { what: string; before: Wiring; after: Wiring } => ({
  what,
  before: draft(number - 1),
  after: draft(number),
})

let history: ReturnType<typeof useDraftHistory>
beforeEach(() => {
  setActivePinia(createPinia())
  history = useDraftHistory()
})

describe('what was changed in the draft', () => {
  it('can be undone, last first, and redone', () => {
    history.note('site', step(1))
    history.note('site', step(2))
    expect([history.undoable, history.redoable]).toEqual(['change 2', null])
    expect(history.back('site')?.before).toEqual(draft(1))
    history.went(-1)
    expect([history.undoable, history.redoable]).toEqual(['change 1', 'change 2'])
    history.went(-1)
    expect([history.undoable, history.redoable]).toEqual([null, 'change 1'])
    expect(history.back('site')).toBeUndefined()
    expect(history.forth('site')?.after).toEqual(draft(1))
    history.went(1)
    expect([history.undoable, history.redoable]).toEqual(['change 1', 'change 2'])
  })

  it('cannot be redone once something else was done instead', () => {
    history.note('site', step(1))
    history.went(-1)
    history.note('site', step(1, 'something else'))
    expect([history.undoable, history.redoable]).toEqual(['something else', null])
  })

  it('is kept for fifty steps', () => {
    for (let number = 1; number <= 60; number++) history.note('site', step(number))
    let undone = 0
    for (; history.back('site'); undone++) history.went(-1)
    expect(undone).toBe(50)
  })

  it('leads nowhere any more after somebody else changed the draft', () => {
    history.note('site', step(1))
    history.look('site', draft(1))
    expect(history.undoable).toBe('change 1')
    history.look('site', draft(7))
    expect([history.undoable, history.redoable]).toEqual([null, null])
  })

  it('may be looked at in the middle of undoing without being lost', () => {
    history.note('site', step(1))
    history.went(-1)
    history.look('site', draft(0))
    expect(history.redoable).toBe('change 1')
  })

  it('of one site is not undone on another', () => {
    history.note('one', step(1))
    expect(history.back('other')).toBeUndefined()
    history.look('other', draft(0))
    expect(history.undoable).toBeNull()
    history.note('other', step(1))
    history.note('one', step(2))
    expect(history.back('one')?.what).toBe('change 2')
    history.went(-1)
    expect(history.back('one')).toBeUndefined()
  })
})
