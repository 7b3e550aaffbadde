import { ref, watch, type Ref } from 'vue'

/** Something being edited that survives a reload until it is saved or given up. */
export interface KeptDraft<T> {
  draft: Ref<T>
  /** Whether it differs from what is saved. */
  changed: Ref<boolean>
  /** Takes what was loaded or saved; unsaved changes of an earlier visit are put back on top of it. */
  accept: (saved: T) => void
  /** Gives up all changes. */
  discard: () => void
  /** Forgets that anything was unsaved; call after saving. */
  settle: (saved: T) => void
}

const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

/** Keeps a draft in this tab's storage under a name. */
export function useKeptDraft<T>(name: string, initial: T): KeptDraft<T> {
  const place = 'acequia.unsaved.' + name
  const draft = ref(copy(initial)) as Ref<T>
  let saved = copy(initial)
  const changed = ref(false)

  watch(
    draft,
    () => {
      changed.value = JSON.stringify(draft.value) !== JSON.stringify(saved)
      if (changed.value) sessionStorage.setItem(place, JSON.stringify(draft.value))
      else sessionStorage.removeItem(place)
    },
    { deep: true },
  )

  function settle(value: T): void {
    saved = copy(value)
    draft.value = copy(value)
    changed.value = false
    sessionStorage.removeItem(place)
  }

  return {
    draft,
    changed,
    settle,
    accept(value) {
      const unsaved = sessionStorage.getItem(place)
      saved = copy(value)
      draft.value = unsaved ? (JSON.parse(unsaved) as T) : copy(value)
      changed.value = JSON.stringify(draft.value) !== JSON.stringify(saved)
    },
    discard: () => settle(saved),
  }
}
