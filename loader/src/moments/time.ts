import { config } from '../config.js'
import { quietly } from '../quietly.js'
import { record } from '../record.js'
import { keepVisit, runningVisit } from '../visit.js'

/** Listens for how long pages were visible, alone or over the visit. Time in hidden tabs does not count. */
export const watchTime = quietly((): (() => void) => {
  const moments = config.listen.filter((moment) => moment.type === 'time')
  /** Visible ms before the running stretch: of this page, and of the visit before this page. */
  let onPage = 0
  let before = runningVisit()?.visible ?? 0
  let since = document.visibilityState === 'visible' ? Date.now() : 0
  let timer: ReturnType<typeof setTimeout> | undefined
  let happened = new Map<string, number>()
  const visible = (): number => onPage + (since ? Date.now() - since : 0)

  const look = quietly((): void => {
    clearTimeout(timer)
    let next = Infinity
    for (const moment of moments) {
      const { watch } = moment
      const spent = visible() + (moment.of === 'visit' ? before : 0)
      const length = moment.seconds * 1000
      // What the pages before had already reached does not happen again here.
      let times = happened.get(watch) ?? (moment.of === 'visit' ? Math.floor(before / length) : 0)
      if (times < moment.times && spent >= (times + 1) * length) {
        times = Math.min(moment.times, Math.floor(spent / length))
        record({ name: 'time-spent', data: { watch, seconds: Math.round(spent / 1000) } })
      }
      happened.set(watch, times)
      if (times < moment.times) next = Math.min(next, (times + 1) * length - spent)
    }
    if (since && next < Infinity) timer = setTimeout(look, Math.max(50, next))
  })
  const keep = quietly((): void => {
    const visit = runningVisit()
    if (!visit) return
    visit.visible = before + visible()
    keepVisit()
  })
  document.addEventListener(
    'visibilitychange',
    quietly(() => {
      onPage = visible()
      since = document.visibilityState === 'visible' ? Date.now() : 0
      keep()
      look()
    }),
  )
  addEventListener('pagehide', keep)
  look()
  return () => {
    before = runningVisit()?.visible ?? before + visible()
    onPage = 0
    since = since && Date.now()
    happened = new Map([...happened].filter(([watch]) => watch.startsWith('visit')))
    look()
  }
})
