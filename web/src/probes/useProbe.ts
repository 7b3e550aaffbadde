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

/** Somebody watching the site in their own browser. */
export interface Probe {
  reports: Ref<ProbeReport[]>
  running: Ref<boolean>
  problem: Ref<string>
  /** ms since 1970 when it began; 0 before. */
  begunAt: Ref<number>
  /** Opens an address of the site in a new tab and listens to it. */
  begin: (kind: ProbeKind, address: string, holdBack?: boolean) => Promise<void>
  /** In a rehearsal: holds back what would leave to channels, or lets it go, from the next page on. */
  hold: (back: boolean) => Promise<void>
  end: () => Promise<void>
}

/** How often it is asked what the page told, in ms. */
const ASK_MS = 300

/** Watches a page of the site in another tab of this browser. */
export function useProbe(): Probe {
  const current = useCurrentSite()
  const reports = ref<ProbeReport[]>([])
  const running = ref(false)
  const problem = ref('')
  const begunAt = ref(0)
  let id = 0
  let last = 0
  let timer: ReturnType<typeof setTimeout> | undefined

  async function begin(kind: ProbeKind, address: string, holdBack = false): Promise<void> {
    await end()
    problem.value = ''
    reports.value = []
    last = 0
    // Opened at once, because browsers keep pages from opening tabs after a wait.
    const tab = window.open('about:blank', '_blank')
    try {
      const answer = await api<{ id: number; open: string }>('POST', `${current.path}/probes`, { kind, address, holdBack })
      id = answer.id
      begunAt.value = Date.now()
      running.value = true
      if (tab) {
        tab.opener = null
        tab.location.href = answer.open
      } else problem.value = 'The browser kept the new tab from opening. Allow it for this page and try again.'
      void ask()
    } catch (error) {
      tab?.close()
      problem.value = messageOf(error)
    }
  }

  async function ask(): Promise<void> {
    const mine = id
    try {
      const answer = await api<{ ended: boolean; reports: { no: number; report: ProbeReport }[] }>('GET', `${current.path}/probes/${mine}?after=${last}`)
      if (mine !== id) return
      last = answer.reports[answer.reports.length - 1]?.no ?? last
      if (answer.reports.length) reports.value = [...reports.value, ...answer.reports.map((each) => each.report)]
      if (answer.ended) running.value = false
      problem.value = ''
    } catch (error) {
      problem.value = messageOf(error)
    }
    if (running.value && mine === id) timer = setTimeout(() => void ask(), ASK_MS)
  }

  async function hold(back: boolean): Promise<void> {
    if (running.value) await api('PUT', `${current.path}/probes/${id}`, { holdBack: back }).catch((error: unknown) => (problem.value = messageOf(error)))
  }

  async function end(): Promise<void> {
    clearTimeout(timer)
    if (!running.value) return
    running.value = false
    await api('DELETE', `${current.path}/probes/${id}`).catch(() => undefined)
  }

  onScopeDispose(() => void end())
  return { reports, running, problem, begunAt, begin, hold, end }
}
