import { selectorOf } from './selectorOf.js'

declare const __ACEQUIA_REPORTS__: string

/** Chooses an element of the page: points it out, suggests a selector that lasts, and tells how many elements match. */
const FRAME = 'outline:3px solid #0e6b66!important;outline-offset:2px!important;cursor:crosshair!important'
const BAR =
  'all:initial;position:fixed;z-index:2147483647;left:50%;bottom:18px;transform:translateX(-50%);max-width:90vw;padding:10px 16px;border-radius:6px;background:#22302f;color:#fbf8f2;font:14px/1.4 system-ui,sans-serif'

const bar = document.createElement('div')
bar.style.cssText = BAR
bar.setAttribute('role', 'status')
let pointed: HTMLElement | undefined
let styleBefore: string | null = null

function say(text: string): void {
  bar.textContent = text
}

function restore(): void {
  if (!pointed) return
  if (styleBefore === null) pointed.removeAttribute('style')
  else pointed.setAttribute('style', styleBefore)
  pointed = undefined
}

function elementOf(event: Event): HTMLElement | undefined {
  const found = event.composedPath().find((each): each is HTMLElement => each instanceof HTMLElement)
  return found && !bar.contains(found) ? found : undefined
}

const textOf = (element: Element): string => (element.textContent ?? '').replace(/\s+/g, ' ').trim().slice(0, 80)

addEventListener(
  'mouseover',
  (event) => {
    const element = elementOf(event)
    if (!element || element === pointed) return
    restore()
    pointed = element
    styleBefore = element.getAttribute('style')
    element.style.cssText += `;${FRAME}`
    say(`${selectorOf(element)}  ·  click to choose it, Esc to leave`)
  },
  true,
)
for (const type of ['pointerdown', 'mousedown', 'submit'] as const) {
  addEventListener(
    type,
    (event) => {
      if (bar.isConnected && elementOf(event)) {
        event.preventDefault()
        event.stopImmediatePropagation()
      }
    },
    true,
  )
}
addEventListener(
  'click',
  (event) => {
    const element = elementOf(event)
    if (!element || !bar.isConnected) return
    event.preventDefault()
    event.stopImmediatePropagation()
    restore()
    const selector = selectorOf(element)
    const matches = document.querySelectorAll(selector).length
    const report = { kind: 'picked', selector, matches, text: textOf(element), url: location.href, at: Date.now() }
    fetch(__ACEQUIA_REPORTS__, { method: 'POST', body: JSON.stringify([report]), headers: { 'content-type': 'text/plain' }, credentials: 'omit' }).then(
      () =>
        say(
          `${selector} was chosen; it matches ${matches === 1 ? 'this element only' : `${matches} elements now`}. Go back to Acequia, or choose another one.`,
        ),
      () => say('Acequia could not be reached. Try again.'),
    )
  },
  true,
)
addEventListener('keydown', (event) => {
  if (event.key !== 'Escape') return
  restore()
  bar.remove()
})
document.documentElement.append(bar)
say('Point at the element and click it.')
