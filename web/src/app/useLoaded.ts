import { onScopeDispose, ref, watch, type Ref, type WatchSource } from 'vue'
import { messageOf } from './api'

/** Something that is loaded, and loaded again when what it depends on changes. */
export interface Loaded<T> {
  /** The last good answer; stays while the next one is awaited. */
  data: Ref<T | undefined>
  error: Ref<string>
  /** Another answer is on its way, or will be asked for once the wait is over. */
  loading: Ref<boolean>
  reload: () => Promise<void>
}

/**
 * Loads something now and whenever a source changes. An answer that was overtaken is dropped.
 * @param wait ms to wait for further changes before loading, for what is typed
 */
export function useLoaded<T>(load: (signal: AbortSignal) => Promise<T>, sources: WatchSource[] = [], wait = 0): Loaded<T> {
  const data = ref<T>() as Ref<T | undefined>
  const error = ref('')
  const loading = ref(false)
  let running: AbortController | undefined
  let timer: ReturnType<typeof setTimeout> | undefined

  async function reload(): Promise<void> {
    running?.abort()
    const mine = (running = new AbortController())
    loading.value = true
    try {
      const answer = await load(mine.signal)
      if (mine.signal.aborted) return
      data.value = answer
      error.value = ''
    } catch (cause) {
      if (!mine.signal.aborted) error.value = messageOf(cause)
    } finally {
      if (running === mine && !timer) loading.value = false
    }
  }

  if (sources.length) {
    watch(sources, () => {
      clearTimeout(timer)
      loading.value = true
      timer = setTimeout(() => {
        timer = undefined
        void reload()
      }, wait)
    })
  }
  onScopeDispose(() => {
    clearTimeout(timer)
    running?.abort()
  })
  void reload()
  return { data, error, loading, reload }
}
