/** Something with named or numbered parts, as a sentence edits it. */
type Tree = Record<string, unknown> | unknown[]

/** What stands at a slot (a dotted path such as `kind.where.any.0`), or undefined. */
export function readSlot(object: unknown, slot: string): unknown {
  let here = object
  for (const name of slot.split('.')) here = (here as Record<string, unknown> | undefined | null)?.[name]
  return here
}

/** A copy of an object with something else at a slot; what is not on the way is shared. */
export function writeSlot<T>(object: T, slot: string, value: unknown): T {
  const [name = '', ...rest] = slot.split('.')
  const copy = (Array.isArray(object) ? [...(object as unknown[])] : { ...object }) as Tree
  const part = (copy as Record<string, unknown>)[name]
  ;(copy as Record<string, unknown>)[name] = rest.length ? writeSlot(part ?? {}, rest.join('.'), value) : value
  return copy as T
}
