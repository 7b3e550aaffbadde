import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

/** One change of the draft. */
interface Step {
  /** In a few words. */
  what: string
  before: Wiring
  after: Wiring
}

const MOST = 50

/** What this person changed in the draft since this tab was opened, for undoing and redoing it. */
export const useDraftHistory = defineStore('draftHistory', () => {
  const key = ref('')
  const steps = shallowRef<Step[]>([])
  /** Steps before this position are done, those from it on were undone. */
  const position = ref(0)
  const undoable = computed(() => steps.value[position.value - 1]?.what ?? null)
  const redoable = computed(() => steps.value[position.value]?.what ?? null)

  /** Notes a change; what was undone before it cannot come back. */
  function note(site: string, step: Step): void {
    if (site !== key.value) clear(site)
    steps.value = [...steps.value.slice(0, position.value), step].slice(-MOST)
    position.value = steps.value.length
  }

  /** Looks at the draft as it is: after somebody else changed it, steps on what was before lead nowhere. */
  function look(site: string, now: Wiring): void {
    const known = steps.value[position.value - 1]?.after ?? steps.value[position.value]?.before
    if (site !== key.value || (known && JSON.stringify(known) !== JSON.stringify(now))) clear(site)
  }

  function clear(site: string): void {
    key.value = site
    steps.value = []
    position.value = 0
  }

  const back = (site: string): Step | undefined => (site === key.value ? steps.value[position.value - 1] : undefined)
  const forth = (site: string): Step | undefined => (site === key.value ? steps.value[position.value] : undefined)
  const went = (direction: 1 | -1): void => void (position.value += direction)

  return { undoable, redoable, note, look, back, forth, went }
})
