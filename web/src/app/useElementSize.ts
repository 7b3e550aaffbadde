import { onBeforeUnmount, onMounted, ref, type Ref } from 'vue'

/** The width of an element in pixels, followed as it changes; 0 before it is on screen. */
export function useElementSize(element: Ref<HTMLElement | undefined>): Ref<number> {
  const width = ref(0)
  const observer = new ResizeObserver(([entry]) => {
    if (entry) width.value = Math.floor(entry.contentRect.width)
  })
  onMounted(() => element.value && observer.observe(element.value))
  onBeforeUnmount(() => observer.disconnect())
  return width
}
