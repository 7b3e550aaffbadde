import { tinykeys } from 'tinykeys'
import { onBeforeUnmount, onMounted } from 'vue'

/** Whether the person is typing, so that single letters are text and no commands. */
function isTyping(event: KeyboardEvent): boolean {
  // Seen from the window, a key pressed inside the code editor comes from the element around its shadow root.
  const target = (event.composedPath()[0] ?? event.target) as HTMLElement
  return target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)
}

/** Whether the key undoes or redoes typing itself, where there is text to undo. */
function isOfText(key: string, event: KeyboardEvent): boolean {
  const target = event.composedPath()[0]
  return /\+[zy]$/.test(key) && isTyping(event) && !(target instanceof HTMLSelectElement) && !(target instanceof HTMLInputElement && target.type === 'checkbox')
}

/** Binds keys while a component is on screen. Single characters, and undoing, are left to the text while somebody types. */
export function useKeys(keys: Record<string, () => void>): void {
  let unbind: (() => void) | undefined
  onMounted(() => {
    unbind = tinykeys(
      window,
      Object.fromEntries(
        Object.entries(keys).map(([key, run]) => [
          key,
          (event: KeyboardEvent) => {
            if (!key.includes('$mod') && key !== 'Escape' && isTyping(event)) return
            if (isOfText(key, event)) return
            event.preventDefault()
            run()
          },
        ]),
      ),
    )
  })
  onBeforeUnmount(() => unbind?.())
}
