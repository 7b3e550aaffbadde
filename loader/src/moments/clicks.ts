import { config } from '../config.js'
import { hear } from '../hearing.js'
import { quietly } from '../quietly.js'
import { record } from '../record.js'
import { matches } from '../roots.js'
import { attribute, dataOf, limited, textOf } from '../text.js'

/** Endings of addresses that are pages rather than files. */
const PAGE = /^(x?html?|php\d?|aspx?|jsp|cgi)$/i

/** Listens for clicks on elements and links, also on what is inside them, with the middle button too. */
export const watchClicks = quietly((): void => {
  const moments = config.listen.filter((moment) => moment.type === 'click')
  const click = (event: Event): void => {
    const { detail, button } = event as MouseEvent
    // The second click of a double click is the same click; the right button opens a menu.
    if (detail > 1 || button > 1) return
    const path = event.composedPath().filter((each): each is Element => each instanceof Element || (each as Element).nodeType === 1)
    for (const moment of moments) {
      const element = path.find((each) => (moment.on === 'element' || isLink(each)) && (!moment.selector || matches(each, moment.selector)))
      if (!element) continue
      const link = path.find(isLink)
      record({
        name: 'click',
        data: dataOf({
          watch: moment.watch,
          elementId: attribute(element, 'id'),
          elementClass: attribute(element, 'class'),
          clickText: textOf(element) ?? limited((element as HTMLInputElement).value ?? attribute(element, 'aria-label'), 100),
          ...(link && linkData(link)),
        }),
      })
    }
  }
  hear('click', click)
  hear('auxclick', click)
})

const isLink = (element: Element): boolean => /^(a|area)$/i.test(element.tagName) && element.hasAttribute('href')

/** Where a link leads. Of mail and telephone links only that they are such: the rest is somebody's address. */
function linkData(link: Element): Record<string, string | undefined> {
  const url = new URL(link.getAttribute('href') ?? '', document.baseURI)
  const isPage = /^https?:$/.test(url.protocol)
  const ending = /\.(\w{2,5})$/.exec(url.pathname)?.[1]
  return {
    clickTarget: isPage ? url.href.slice(0, 500) : url.protocol,
    clickHost: isPage && url.host !== location.host ? url.hostname : undefined,
    clickFile: isPage && ending && !PAGE.test(ending) ? ending.toLowerCase() : undefined,
  }
}
