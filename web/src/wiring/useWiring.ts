import type { Channel } from '@acequia/core/recipes/channelSchema'
import { mergeWirings } from '@acequia/core/wiring/mergeWirings'
import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import type { WiringDifference } from '@acequia/core/wiring/wiringDifferences'
import { ref, type Ref } from 'vue'
import { api, ApiProblem, messageOf } from '../app/api'
import { useCurrentSite } from '../sites/currentSite'
import { useDraftHistory } from './draftHistory'

/** The draft as the API gives it. */
export type DraftAnswer = Wiring & { revision: number; live: number | null; changes: WiringDifference[]; changedAt: string | null; changedBy: string | null }

/** A goal as triggers refer to it. */
export interface GoalName {
  id: string
  name: string
}

/** The draft of the site on screen, with its channels and goals. */
export interface WiringDraft {
  wiring: Ref<DraftAnswer | undefined>
  channels: Ref<(Channel & { revision: number })[]>
  goals: Ref<GoalName[]>
  problem: Ref<string>
  /** What happened besides, in words: that a colleague's change was put together with one's own. */
  notice: Ref<string>
  load: () => Promise<void>
  /**
   * Changes the draft and saves it. What somebody else changed in between is put together with it, unless
   * both changed the same thing: then nothing is saved, and the problem says what collides.
   * @param what the change in a few words, for undoing it
   * @returns whether it was saved
   */
  change: (what: string, edit: (wiring: Wiring) => Partial<Wiring>) => Promise<boolean>
  undo: () => Promise<void>
  redo: () => Promise<void>
}

/** The parts of an answer that are the wiring itself. */
export const wiringOf = ({ triggers, tags, readings, relays }: Wiring): Wiring => ({ triggers, tags, readings, relays })

/** Loads the draft and saves changes of it. */
export function useWiring(): WiringDraft {
  const current = useCurrentSite()
  const history = useDraftHistory()
  const wiring = ref<DraftAnswer>()
  const channels = ref<(Channel & { revision: number })[]>([])
  const goals = ref<GoalName[]>([])
  const problem = ref('')
  const notice = ref('')

  async function load(): Promise<void> {
    try {
      ;[wiring.value, channels.value, goals.value] = await Promise.all([
        api<DraftAnswer>('GET', `${current.path}/wiring`),
        api<(Channel & { revision: number })[]>('GET', `${current.path}/channels`),
        api<GoalName[]>('GET', `${current.path}/goals`),
      ])
      history.look(current.key, wiringOf(wiring.value))
    } catch (error) {
      problem.value = messageOf(error)
    }
  }

  /** Somebody else saved in between: puts both together, or says what collides. */
  async function merge(base: Wiring, mine: Wiring): Promise<boolean> {
    await load()
    if (!wiring.value) return false
    const { merged, collisions } = mergeWirings(base, mine, wiringOf(wiring.value))
    const by = wiring.value.changedBy ?? 'Somebody'
    if (collisions.length) {
      const names = collisions.map(({ what, id }) => `the ${what} “${wiring.value?.tags.find((tag) => what === 'tag' && tag.id === id)?.name ?? id}”`)
      problem.value = `${by} changed ${names.join(' and ')} while you did, in another way. Theirs is kept, and nothing of yours was saved; what you entered is still here. Save again to put yours in its place.`
      return false
    }
    const saved = await save(merged)
    if (saved) notice.value = `${by} changed the draft while you did. Both changes are in it now.`
    return saved
  }

  async function save(next: Wiring, base?: Wiring): Promise<boolean> {
    problem.value = ''
    try {
      wiring.value = await api<DraftAnswer>('PUT', `${current.path}/wiring`, { ...next, revision: wiring.value?.revision })
      void current.refreshProgress()
      return true
    } catch (error) {
      problem.value = messageOf(error)
      if (!(error instanceof ApiProblem && error.status === 409)) return false
      return base ? merge(base, next) : (await load(), false)
    }
  }

  // Somebody quick presses the next key before the last change is saved: each one waits for its turn.
  let turn: Promise<unknown> = Promise.resolve()
  function inTurn<T>(act: () => Promise<T>): Promise<T> {
    const mine = turn.then(act)
    turn = mine.catch(() => undefined)
    return mine
  }

  async function changeNow(what: string, edit: (wiring: Wiring) => Partial<Wiring>): Promise<boolean> {
    if (!wiring.value) return false
    const before = wiringOf(wiring.value)
    notice.value = ''
    const saved = await save({ ...before, ...edit(before) }, before)
    if (saved) history.note(current.key, { what, before, after: wiringOf(wiring.value) })
    return saved
  }

  async function undoNow(): Promise<void> {
    const step = history.back(current.key)
    if (step && (await save(step.before))) history.went(-1)
  }

  async function redoNow(): Promise<void> {
    const step = history.forth(current.key)
    if (step && (await save(step.after))) history.went(1)
  }

  void load()
  return {
    wiring,
    channels,
    goals,
    problem,
    notice,
    load,
    change: (what, edit) => inTurn(() => changeNow(what, edit)),
    undo: () => inTurn(undoNow),
    redo: () => inTurn(redoNow),
  }
}

/** A short id for something new in the wiring. */
export function newId(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(6)), (byte) => byte.toString(36).padStart(2, '0'))
    .join('')
    .slice(0, 10)
}
