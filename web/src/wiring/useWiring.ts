import type { Channel } from '@acequia/core/recipes/channelSchema'
import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import type { WiringDifference } from '@acequia/core/wiring/wiringDifferences'
import { ref, type Ref } from 'vue'
import { api, messageOf } from '../app/api'
import { useCurrentSite } from '../sites/currentSite'

/** The draft as the API gives it. */
export type DraftAnswer = Wiring & { revision: number; live: number | null; changes: WiringDifference[]; changedAt: string | null; changedBy: string | null }

/** The draft of the site on screen, with its channels. */
export interface WiringDraft {
  wiring: Ref<DraftAnswer | undefined>
  channels: Ref<(Channel & { revision: number })[]>
  problem: Ref<string>
  load: () => Promise<void>
  /** Changes the draft and saves it; a draft that somebody else changed in between is loaded again instead. @returns whether it was saved */
  change: (edit: (wiring: Wiring) => Wiring) => Promise<boolean>
}

/** Loads the draft and saves changes of it. */
export function useWiring(): WiringDraft {
  const current = useCurrentSite()
  const wiring = ref<DraftAnswer>()
  const channels = ref<(Channel & { revision: number })[]>([])
  const problem = ref('')

  async function load(): Promise<void> {
    try {
      ;[wiring.value, channels.value] = await Promise.all([
        api<DraftAnswer>('GET', `${current.path}/wiring`),
        api<(Channel & { revision: number })[]>('GET', `${current.path}/channels`),
      ])
    } catch (error) {
      problem.value = messageOf(error)
    }
  }

  async function change(edit: (wiring: Wiring) => Wiring): Promise<boolean> {
    const before = wiring.value
    if (!before) return false
    problem.value = ''
    try {
      const { triggers, tags } = edit({ triggers: before.triggers, tags: before.tags })
      wiring.value = await api<DraftAnswer>('PUT', `${current.path}/wiring`, { triggers, tags, revision: before.revision })
      void current.refreshProgress()
      return true
    } catch (error) {
      problem.value = messageOf(error)
      await load()
      return false
    }
  }

  void load()
  return { wiring, channels, problem, load, change }
}

/** A short id for something new in the wiring. */
export function newId(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(6)), (byte) => byte.toString(36).padStart(2, '0'))
    .join('')
    .slice(0, 10)
}
