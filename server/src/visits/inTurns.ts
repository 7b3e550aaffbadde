/** Longest that long work keeps others waiting, in ms. */
const TURN_MS = 25

/**
 * Goes through many things, serving others from time to time.
 * @param rested asked at each of those times; work ends early where it gives false
 */
export async function inTurns<T>(all: Iterable<T>, take: (each: T) => void, rested: () => boolean = () => true): Promise<void> {
  let began = Date.now()
  for (const each of all) {
    take(each)
    if (Date.now() - began < TURN_MS) continue
    if (!rested()) return
    await new Promise((resolve) => setImmediate(resolve))
    began = Date.now()
  }
}
