import { quietly } from './quietly.js'
import { eachRoot } from './roots.js'

const listeners: Record<string, ((event: Event) => void)[]> = {}
const heard = new WeakSet<Event>()

const tell = quietly((event: Event): void => {
  if (heard.has(event)) return
  heard.add(event)
  for (const listener of listeners[event.type] ?? []) quietly(listener)(event)
})

/**
 * Hears every event of a type in every tree of the page, once, before the page can stop it. A
 * listener of the page that came before ours can still keep an event from us; then it is heard as it
 * is stopped.
 */
export function hear(type: string, listener: (event: Event) => void): void {
  if (!Object.keys(listeners).length) {
    const stop = Event.prototype.stopImmediatePropagation
    Event.prototype.stopImmediatePropagation = function () {
      if (listeners[this.type]) tell(this)
      stop.call(this)
    }
  }
  if (listeners[type]) return void listeners[type].push(listener)
  listeners[type] = [listener]
  addEventListener(type, tell, true)
  eachRoot((root) => root !== document && root.addEventListener(type, tell, true))
}
