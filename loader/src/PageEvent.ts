import type { ReadableEvent } from '@acequia/core/readings/readEvent'

/** An event as it is sent. */
export interface PageEvent extends ReadableEvent {
  uid: string
  /** ISO 8601 UTC. */
  at: string
  data?: Record<string, string | number | boolean>
  /** Tags that fired at this moment. */
  fired?: string[]
}
