import { hear } from '../hearing.js'
import { quietly } from '../quietly.js'
import { record } from '../record.js'
import { attribute, dataOf } from '../text.js'
import { awaitAcceptance } from './accepted.js'

/** A form sent by script this soon after its own submit event is the same sending, in ms. */
const SAME_SENDING_MS = 3000
/** Two submit events of one form this close are an impatient double click, in ms. */
const DOUBLE_CLICK_MS = 800

/** Listens for sent forms: their id, name, classes, action and position, never what was entered. */
export const watchForms = quietly((): void => {
  const sent = new WeakMap<HTMLFormElement, number>()
  const send = (form: HTMLFormElement, pause: number): void => {
    const now = Date.now()
    if (now - (sent.get(form) ?? -Infinity) < pause) return
    sent.set(form, now)
    const data = dataOf({
      formId: attribute(form, 'id'),
      formName: attribute(form, 'name'),
      formClass: attribute(form, 'class'),
      formAction: attribute(form, 'action'),
      formPosition: [...form.ownerDocument.querySelectorAll('form')].indexOf(form) + 1 || undefined,
    })
    if (ACEQUIA_ACCEPTED) awaitAcceptance(form, data)
    record({ name: 'form-sent', data }, form)
  }
  hear('submit', (event) => send((event.composedPath()[0] ?? event.target) as HTMLFormElement, DOUBLE_CLICK_MS))
  const byScript = quietly(send)
  const original = HTMLFormElement.prototype.submit
  HTMLFormElement.prototype.submit = function () {
    byScript(this, SAME_SENDING_MS)
    return original.call(this)
  }
})
