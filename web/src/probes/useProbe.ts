import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import { onScopeDispose, ref, type Ref } from 'vue'
import { api, messageOf } from '../app/api'
import { useCurrentSite } from '../sites/currentSite'

/** What a watched page told, oldest first. Members depend on `kind`. */
export interface ProbeReport {
  kind: string
  at: number
  [member: string]: unknown
}

/** What is watched for: a test visit, an element that is chosen, or the draft. */
export type ProbeKind = 'visit' | 'pick' | 'rehearsal'

interface ProbeAnswer {
  address: string
  begunAt: string
  begunBy: string
  holdBack: boolean
  name: string | null
  wiring: Wiring | null
  ended: boolean
  reports: { no: number; report: ProbeReport }[]
}

/** Somebody watching the site in their own browser. */
export interface Probe {
  /** 0 before anything is watched. */
  id: Ref<number>
  reports: Ref<ProbeReport[]>
  running: Ref<boolean>
  problem: Ref<string>
  /** ms since 1970 when it began; 0 before. */
  begunAt: Ref<number>
  /** What the server knows of it beside the reports. */
  known: Ref<Omit<ProbeAnswer, 'reports'> | undefined>
  /** Opens an address of the site in a new tab and listens to it. */
  begin: (kind: ProbeKind, address: string, holdBack?: boolean) => Promise<void>
  /** Listens again to one that was begun before, from its first report on. */
  watch: (id: number) => void
  /** In a rehearsal: holds back what would leave to channels, or lets it go, from the next page on. */
  hold: (back: boolean) => Promise<void>
  end: () => Promise<void>
}

/** How often it is asked what the page told, in ms. */
const ASK_MS = 300
/** How long it is waited after the server did not answer, in ms. */
const AWAY_MS = 2000

/**
 * Watches a page of the site in another tab of this browser.
 * @param stays whether it goes on when the screen is left
 */
export function useProbe(stays = false): Probe {
  const current = useCurrentSite()
  const id = ref(0)
  const reports = ref<ProbeReport[]>([])
  const running = ref(false)
  const problem = ref('')
  const begunAt = ref(0)
  const known = ref<Omit<ProbeAnswer, 'reports'>>()
  let last = 0
  let timer: ReturnType<typeof setTimeout> | undefined

  function watch(wanted: number): void {
    clearTimeout(timer)
    id.value = wanted
    last = 0
    reports.value = []
    known.value = undefined
    running.value = true
    void ask()
  }

  async function begin(kind: ProbeKind, address: string, holdBack = false): Promise<void> {
    await end()
    problem.value = ''
    // Opened at once, because browsers keep pages from opening tabs after a wait.
    const tab = window.open('about:blank', '_blank')
    try {
      const answer = await api<{ id: number; open: string }>('POST', `${current.path}/probes`, { kind, address, holdBack })
      begunAt.value = Date.now()
      watch(answer.id)
      if (tab) {
        tab.opener = null
        tab.location.href = answer.open
      } else problem.value = 'The browser kept the new tab from opening. Allow it for this page and try again.'
    } catch (error) {
      tab?.close()
      problem.value = messageOf(error)
    }
  }

  async function ask(): Promise<void> {
    const mine = id.value
    let wait = ASK_MS
    try {
      const { reports: fresh, ...rest } = await api<ProbeAnswer>('GET', `${current.path}/probes/${mine}?after=${last}`)
      if (mine !== id.value) return
      last = fresh[fresh.length - 1]?.no ?? last
      if (fresh.length) reports.value = [...reports.value, ...fresh.map((each) => each.report)]
      known.value = rest
      begunAt.value = Date.parse(rest.begunAt)
      // One that has ended may still have more to tell than fits into one answer.
      if (rest.ended && !fresh.length) running.value = false
      problem.value = ''
    } catch (error) {
      problem.value = messageOf(error)
      wait = AWAY_MS
      if ((error as { status?: number }).status === 404) running.value = false
    }
    if (running.value && mine === id.value) timer = setTimeout(() => void ask(), wait)
  }

  async function hold(back: boolean): Promise<void> {
    if (running.value) await api('PUT', `${current.path}/probes/${id.value}`, { holdBack: back }).catch((error: unknown) => (problem.value = messageOf(error)))
  }

  async function end(): Promise<void> {
    clearTimeout(timer)
    if (!running.value) return
    running.value = false
    await api('DELETE', `${current.path}/probes/${id.value}`).catch(() => undefined)
  }

  onScopeDispose(() => {
    if (!stays) return void end()
    clearTimeout(timer)
    id.value = 0
  })
  return { id, reports, running, problem, begunAt, known, begin, watch, hold, end }
}
