import type { Listener } from '@acequia/core/wiring/LoaderConfig'
import { config } from '../config.js'
import { quietly } from '../quietly.js'
import { record } from '../record.js'
import { eachRoot, findAll, isShown } from '../roots.js'
import { attribute, dataOf, textOf } from '../text.js'

type Seen = Extract<Listener, { type: 'element-seen' }>

/** An observer calls back at each of these shares of an element, so that every percentage is noticed. */
const STEPS = Array.from({ length: 101 }, (_, step) => step / 100)

/**
 * Listens for elements coming into view, also those that appear later. Hidden tabs, hidden elements
 * and elements without size do not count; an element larger than the window is seen when it fills
 * as much of the window as is asked of it.
 */
export const watchSeen = quietly((): (() => void) => {
  const watchers = config.listen.filter((moment) => moment.type === 'element-seen').map(watcherOf)
  let due = false
  const rescan = (): void => {
    if (due) return
    due = true
    requestAnimationFrame(
      quietly(() => {
        due = false
        for (const { scan } of watchers) scan()
      }),
    )
  }
  eachRoot((root) =>
    new MutationObserver(rescan).observe(root, {
      childList: true,
      subtree: true,
      attributes: true,
      attributeFilter: ['class', 'style', 'hidden', 'open', 'id'],
    }),
  )
  document.addEventListener(
    'visibilitychange',
    quietly(() => watchers.forEach(({ scan }) => scan())),
  )
  rescan()
  return () => watchers.forEach(({ turn }) => turn())
})

interface Watcher {
  /** Looks for new elements, and again at those in view. */
  scan: () => void
  /** Begins anew for another page of a single-page application. */
  turn: () => void
}

function watcherOf(moment: Seen): Watcher {
  const watched = new Set<Element>()
  const inView = new Set<Element>()
  const done = new WeakSet<Element>()
  const timers = new Map<Element, ReturnType<typeof setTimeout>>()
  let doneOnPage = false

  const observer = new IntersectionObserver(
    quietly((entries: IntersectionObserverEntry[]) => {
      for (const { target, intersectionRatio, intersectionRect, rootBounds, isIntersecting } of entries) {
        const share = rootBounds ? (intersectionRect.width * intersectionRect.height) / Math.max(1, rootBounds.width * rootBounds.height) : 0
        const enough = isIntersecting && Math.max(intersectionRatio, share) >= moment.percent / 100 - 1e-6
        if (enough) inView.add(target)
        else {
          inView.delete(target)
          // Out of view: it may be seen anew.
          if (moment.repeat === 'every') done.delete(target)
        }
        weigh(target)
      }
    }),
    { threshold: STEPS },
  )
  // An element that grows out of nothing crosses no share, so it is looked at afresh.
  const grown = new ResizeObserver(
    quietly((entries: ResizeObserverEntry[]) => {
      for (const { target } of entries) {
        observer.unobserve(target)
        observer.observe(target)
      }
    }),
  )

  function weigh(element: Element): void {
    const counts = inView.has(element) && document.visibilityState === 'visible' && isShown(element) && !done.has(element) && !doneOnPage
    const timer = timers.get(element)
    if (!counts) {
      clearTimeout(timer)
      timers.delete(element)
    } else if (timer === undefined) {
      const see = quietly(() => {
        timers.delete(element)
        if (doneOnPage) return
        done.add(element)
        doneOnPage = moment.repeat === 'page'
        record({ name: 'element-seen', data: dataOf({ watch: moment.watch, elementId: attribute(element, 'id'), elementText: textOf(element) }) })
      })
      timers.set(element, setTimeout(see, moment.seconds * 1000))
    }
  }

  return {
    scan() {
      const found = new Set(findAll(moment.selector))
      for (const element of watched) {
        if (found.has(element) && element.isConnected) continue
        watched.delete(element)
        inView.delete(element)
        observer.unobserve(element)
        grown.unobserve(element)
        weigh(element)
      }
      for (const element of found) {
        if (watched.has(element)) continue
        watched.add(element)
        observer.observe(element)
        grown.observe(element)
      }
      for (const element of inView) weigh(element)
    },
    turn() {
      doneOnPage = false
      for (const element of watched) {
        done.delete(element)
        weigh(element)
      }
    },
  }
}
