import { quietly } from './quietly.js'

/** A tree of elements of its own: the document, a shadow tree, or a frame of the same site without a loader. */
export type Root = Document | ShadowRoot

const MOST_ROOTS = 1000
const roots: Root[] = []
const known = new WeakSet<Root>()
const listeners: ((root: Root) => void)[] = []

/** Calls back for every tree of elements on the page, now and later. */
export function eachRoot(listener: (root: Root) => void): void {
  if (!listeners.length) start()
  listeners.push(listener)
  roots.forEach(listener)
}

/** All elements that match a selector, in every tree. Nothing for a selector that is none. */
export function findAll(selector: string): Element[] {
  try {
    return (roots.length ? roots : [document]).flatMap((root) => [...root.querySelectorAll(selector)])
  } catch {
    return []
  }
}

/** Whether an element matches a selector; false for a selector that is none. */
export function matches(element: Element, selector: string): boolean {
  try {
    return element.matches(selector)
  } catch {
    return false
  }
}

/** Whether an element takes up space and is not hidden. */
export function isShown(element: Element): boolean {
  const { width, height } = element.getBoundingClientRect()
  return width > 0 && height > 0 && getComputedStyle(element).visibility !== 'hidden'
}

const add = quietly((root: Root): void => {
  if (known.has(root) || roots.length >= MOST_ROOTS) return
  known.add(root)
  roots.push(root)
  for (const listener of listeners) quietly(listener)(root)
  for (const element of root.querySelectorAll('*')) {
    if (element.shadowRoot) add(element.shadowRoot)
    else if (element.tagName === 'IFRAME') addFrame(element)
  }
  root.addEventListener('load', (event) => (event.target as Element).tagName === 'IFRAME' && addFrame(event.target as Element), true)
})

/** A frame of another origin keeps its document to itself; one with a loader of its own counts for itself. */
const addFrame = quietly((frame: Element): void => {
  const inner = (frame as HTMLIFrameElement).contentDocument
  if (inner && !(inner.defaultView as { acequia?: unknown } | null)?.acequia && !inner.querySelector('script[src*="/l/"]')) add(inner)
})

function start(): void {
  const attach = Element.prototype.attachShadow
  // Also for closed trees, which are handed to whoever makes them and to nobody else.
  Element.prototype.attachShadow = function (init) {
    const root = attach.call(this, init)
    add(root)
    return root
  }
  add(document)
}
