import { withNatives } from './natives.js'

/** Runs something so that nothing that fails in it can reach the host page, and nothing the page broke reaches it. */
export function quietly<A extends unknown[], R>(work: (...args: A) => R): (...args: A) => R | undefined {
  return function (this: unknown, ...args: A) {
    try {
      return withNatives(() => work.apply(this, args))
    } catch {
      return undefined
    }
  }
}
