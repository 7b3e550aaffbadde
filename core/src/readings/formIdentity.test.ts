import { describe, expect, it } from 'vitest'
import { formIdentity } from './formIdentity.js'

describe('a form is known', () => {
  it('by its id, else its name, else where it is sent to', () => {
    const data = { formClass: 'box', formAction: '/send', formName: 'ask', formId: 'f1', formPosition: 2 }
    expect(formIdentity(data)).toEqual({ reading: 'data.formId', value: 'f1' })
    expect(formIdentity({ ...data, formId: '' })).toEqual({ reading: 'data.formName', value: 'ask' })
    expect(formIdentity({ formAction: '/send', formClass: 'box' })).toEqual({ reading: 'data.formAction', value: '/send' })
  })

  it('by its looks only where that will do, because they mean another form on the next page', () => {
    const data = { formClass: 'box', formPosition: 2 }
    expect(formIdentity(data)).toBeNull()
    expect(formIdentity(data, true)).toEqual({ reading: 'data.formClass', value: 'box' })
    expect(formIdentity({ formPosition: 2 }, true)).toEqual({ reading: 'data.formPosition', value: '2' })
  })

  it('not at all where nothing was read', () => {
    for (const nothing of [null, undefined, {}]) expect(formIdentity(nothing, true)).toBeNull()
    expect(formIdentity({ other: 'x' }, true)).toBeNull()
  })
})
