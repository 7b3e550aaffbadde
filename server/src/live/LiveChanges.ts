import { EventEmitter } from 'node:events'

/** What derivation changed just now, for open screens. */
export interface LiveChange {
  siteId: number
  /** Whether something just happened on the site, as opposed to a recount of what had. */
  live: boolean
  /** `goalNo uid` of conversions that were not there before. */
  newConversions: string[]
}

/** Passes on what derivation changed within this process. */
export class LiveChanges {
  private readonly emitter = new EventEmitter().setMaxListeners(0)

  /** Tells all listeners of a change. */
  announce(change: LiveChange): void {
    this.emitter.emit('change', change)
  }

  /** Listens until the returned function is called. */
  listen(listener: (change: LiveChange) => void): () => void {
    this.emitter.on('change', listener)
    return () => this.emitter.off('change', listener)
  }
}
