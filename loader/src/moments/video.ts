import { config } from '../config.js'
import { hear } from '../hearing.js'
import { quietly } from '../quietly.js'
import { record } from '../record.js'
import { attribute, dataOf, limited } from '../text.js'

/** Listens for how far HTML videos were played; each percentage once for each video on a page. */
export const watchVideos = quietly((): (() => void) => {
  const moments = config.listen.filter((moment) => moment.type === 'video')
  let done = new WeakMap<Element, Set<string>>()
  const play = (event: Event): void => {
    const video = event.target as HTMLVideoElement
    if (video.tagName !== 'VIDEO' || !(video.duration > 0)) return
    const percent = event.type === 'ended' ? 100 : (video.currentTime / video.duration) * 100
    const seen = done.get(video) ?? new Set()
    done.set(video, seen)
    for (const moment of moments) {
      const { watch } = moment
      if (seen.has(watch) || percent < moment.percent) continue
      seen.add(watch)
      const data = { watch, videoSource: limited(video.currentSrc, 500), videoTitle: attribute(video, 'title') ?? attribute(video, 'aria-label') }
      record({ name: 'video-watched', data: { ...dataOf(data), videoPercent: Math.round(percent) } })
    }
  }
  hear('timeupdate', play)
  hear('ended', play)
  return () => {
    done = new WeakMap()
  }
})
