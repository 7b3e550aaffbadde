type Owner = Record<string, unknown>

/** Functions of the browser that the page replaced, each with what it is where no page has been. */
let swaps: [owner: Owner, name: string, clean: unknown, pages?: unknown][] | undefined
let inside = 0

function findReplaced(): NonNullable<typeof swaps> {
  const found: NonNullable<typeof swaps> = []
  let frame: HTMLIFrameElement | undefined
  for (const name of ['Array', 'String', 'Object', 'JSON']) {
    for (const part of ['', 'prototype']) {
      const of = (globals: unknown): Owner => {
        const owner = (globals as Record<string, Owner>)[name] as Owner
        return part ? ((owner[part] as Owner | undefined) ?? {}) : owner
      }
      const owner = of(window)
      for (const member of Object.getOwnPropertyNames(owner)) {
        const value = owner[member]
        if (typeof value !== 'function' || (member !== 'toJSON' && /native code/.test(Function.prototype.toString.call(value)))) continue
        if (!frame) document.documentElement.append((frame = document.createElement('iframe')))
        const clean = of(frame.contentWindow)[member]
        // What browsers do not have is only in the way where it changes how things are written down.
        if (clean || member === 'toJSON') found.push([owner, member, clean])
      }
    }
  }
  frame?.remove()
  return found
}

/**
 * Runs something with the browser's own `Array`, `String`, `Object` and `JSON`, whatever the page
 * made of them, and leaves them as the page had them. Costs nothing where the page left them alone.
 */
export function withNatives<R>(work: () => R): R {
  swaps ??= findReplaced()
  if (!swaps[0] || inside) return work()
  inside = 1
  for (const swap of swaps) {
    swap[3] = swap[0][swap[1]]
    swap[0][swap[1]] = swap[2]
  }
  try {
    return work()
  } finally {
    for (const [owner, name, , pages] of swaps) owner[name] = pages
    inside = 0
  }
}
