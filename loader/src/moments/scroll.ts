import { config } from '../config.js'
import { quietly } from '../quietly.js'
import { record } from '../record.js'

/** Listens for how far down people scroll: percent of the page, or pixels, that came into view. */
export const watchScroll = quietly((): (() => void) => {
  const moments = config.listen.filter((moment) => moment.type === 'scroll')
  const done = new Set<string>()
  let due = false
  addEventListener(
    'scroll',
    () => {
      if (due) return
      due = true
      setTimeout(look, 100)
    },
    { passive: true, capture: true },
  )
  const look = quietly(() => {
    due = false
    const page = document.scrollingElement ?? document.documentElement
    const bottom = page.scrollTop + innerHeight
    for (const moment of moments) {
      const { watch } = moment
      const scrolled = moment.unit === 'percent' ? Math.min(100, Math.round((bottom / Math.max(1, page.scrollHeight)) * 100)) : Math.round(page.scrollTop)
      if (done.has(watch) || scrolled < moment.amount) continue
      done.add(watch)
      record({ name: 'scrolled', data: { watch, scrolled } })
    }
  })
  return () => done.clear()
})
