import type { Wiring } from './wiringSchema.js'

/** Something that two people changed at once, each in another way. */
export interface WiringCollision {
  what: 'trigger' | 'tag' | 'reading' | 'relay'
  /** Its id, or its name where that is what it goes by. */
  id: string
}

const LISTS = [
  ['triggers', 'trigger', 'id'],
  ['tags', 'tag', 'id'],
  ['readings', 'reading', 'name'],
  ['relays', 'relay', 'name'],
] as const

type Entry = Record<string, unknown>

/**
 * Puts together what two people made of the same wiring. Each trigger, tag, reading and relay link is
 * taken as whoever changed it left it. Where both did, in different ways, theirs stays and it is named
 * as a collision. Order: as in theirs, with what only I have at the end.
 */
export function mergeWirings(base: Wiring, mine: Wiring, theirs: Wiring): { merged: Wiring; collisions: WiringCollision[] } {
  const collisions: WiringCollision[] = []
  const merged: Record<string, Entry[]> = {}
  for (const [list, what, key] of LISTS) {
    const [was, my, their] = [base, mine, theirs].map((wiring) => new Map((wiring[list] as Entry[]).map((entry) => [String(entry[key]), entry])))
    const ids = new Set([...(their as Map<string, Entry>).keys(), ...(my as Map<string, Entry>).keys(), ...(was as Map<string, Entry>).keys()])
    merged[list] = [...ids].flatMap((id) => {
      const [before, here, there] = [was?.get(id), my?.get(id), their?.get(id)]
      const same = (one: Entry | undefined, other: Entry | undefined): boolean => JSON.stringify(one) === JSON.stringify(other)
      const kept = same(here, before) ? there : same(there, before) || same(here, there) ? here : there
      if (!same(here, before) && !same(there, before) && !same(here, there)) collisions.push({ what, id })
      return kept ? [kept] : []
    })
  }
  return { merged: merged as unknown as Wiring, collisions }
}
