import { defineStore } from 'pinia'
import { ref } from 'vue'

/** A conversion as the live stream and the overview tell it. */
export interface LiveConversion {
  at: string
  uid: string
  value: number
  currency: string
  order: string | null
  path: string
  source: string
  medium: string
  campaign: string | null
  goal: string
  goalName: string
}

/** What happens on the site right now. */
export const useLive = defineStore('live', () => {
  const perMinute = ref<number | null>(null)
  const connected = ref(false)
  /** Grows each time figures may have changed. */
  const changes = ref(0)
  const latest = ref<LiveConversion[]>([])
  let stream: EventSource | undefined
  let followed = ''

  /** Follows a site; what was followed before is let go. */
  function follow(key: string): void {
    if (followed === key) return
    stop()
    followed = key
    latest.value = []
    perMinute.value = null
    stream = new EventSource(`/api/v1/sites/${key}/live`)
    stream.onopen = () => (connected.value = true)
    stream.onerror = () => (connected.value = false)
    stream.addEventListener('pulse', (event) => (perMinute.value = (JSON.parse(event.data as string) as { perMinute: number }).perMinute))
    stream.addEventListener('changed', () => changes.value++)
    stream.addEventListener('conversions', (event) => {
      latest.value = [...(JSON.parse(event.data as string) as LiveConversion[]).reverse(), ...latest.value].slice(0, 50)
      changes.value++
    })
  }

  /** Ends the stream. */
  function stop(): void {
    stream?.close()
    stream = undefined
    followed = ''
    connected.value = false
  }

  return { perMinute, connected, changes, latest, follow, stop }
})
