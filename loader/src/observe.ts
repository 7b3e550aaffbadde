import { hostIsListed } from '@acequia/core/sites/hosts'
import { config } from './config.js'
import { hear } from './hearing.js'
import { probeToken, report } from './probe.js'
import { quietly } from './quietly.js'
import { isShown } from './roots.js'
import { selectorOf } from './selectorOf.js'
import { textOf } from './text.js'

/** After a form was sent, what appears within this time may be its confirmation, in ms. */
const ANSWER_MS = 10_000
const MOST_APPEARED = 8

/**
 * In a rehearsal: tells of what no trigger listens for yet but could, every click and what appears
 * after a form was sent. Takes the rehearsal along to other hosts of the site.
 */
export const observe = quietly((): void => {
  const badge = (element: Element): boolean => !!element.closest('[data-acequia]')
  hear('click', (event) => {
    const element = event.composedPath().find((each): each is Element => each instanceof Element)
    if (!element || badge(element)) return
    const target = element.closest('a[href],button,input,select,summary,[role=button],[onclick]') ?? element
    if (target instanceof HTMLAnchorElement) carryOver(target, 'href')
    report({ kind: 'clicked', selector: selectorOf(target), text: textOf(target), link: target instanceof HTMLAnchorElement, url: location.href })
  })
  hear('submit', (event) => {
    const form = event.composedPath()[0]
    if (!(form instanceof HTMLFormElement)) return
    carryOver(form, 'action')
    watchAnswer()
  })
})

/** Another host of the site keeps its own storage: the rehearsal goes there with the address. */
function carryOver(element: HTMLAnchorElement | HTMLFormElement, name: 'href' | 'action'): void {
  // A form's field named "action" hides the form's own property.
  const address = element.getAttribute(name)
  if (address === null || !URL.canParse(address, document.baseURI)) return
  const url = new URL(address, document.baseURI)
  if (url.host === location.host || !hostIsListed(url.host, config.site.hosts) || url.hash.includes('acequia=')) return
  url.hash = `acequia=${probeToken}`
  element.setAttribute(name, url.href)
}

function watchAnswer(): void {
  const before = new Set(visibleElements())
  const told = new Set<Element>()
  const look = quietly(() => {
    for (const element of visibleElements()) {
      if (before.has(element) || told.size >= MOST_APPEARED || [...told].some((each) => each.contains(element))) continue
      told.add(element)
      report({ kind: 'appeared', selector: selectorOf(element), text: textOf(element), url: location.href })
    }
  })
  const observer = new MutationObserver(look)
  observer.observe(document, { childList: true, subtree: true, attributes: true, attributeFilter: ['class', 'style', 'hidden', 'open'] })
  setTimeout(() => observer.disconnect(), ANSWER_MS)
}

/** Elements with text of their own that can be seen, outermost first. */
function visibleElements(): Element[] {
  return [...document.querySelectorAll('body *')].filter(
    (element) => !/^(script|style|template|noscript)$/i.test(element.tagName) && !element.closest('[data-acequia]') && !!textOf(element) && isShown(element),
  )
}
