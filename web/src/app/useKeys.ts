import { tinykeys } from 'tinykeys'
import { onBeforeUnmount, onMounted } from 'vue'

/** Whether the person is typing, so that single letters are text and no commands. */
function isTyping(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement
  return target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)
}

/** Binds keys while a component is on screen. Single characters are ignored while somebody types. */
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
            event.preventDefault()
            run()
          },
        ]),
      ),
    )
  })
  onBeforeUnmount(() => unbind?.())
}
