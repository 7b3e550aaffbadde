import { addDays, calendarOf } from '@acequia/core/days/zone'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { useCurrentSite } from '../sites/currentSite'

/** The spans that can be chosen with one click, in days up to today. */
export const SPANS = [7, 30, 90] as const

/** The range of days in view, in the site's time zone. `to` is the last day shown, so the API's `to` is the day after. */
export const useRange = defineStore('range', () => {
  const current = useCurrentSite()
  const now = ref(Date.now())
  // A screen may stay open over midnight.
  setInterval(() => (now.value = Date.now()), 60_000)
  const today = computed(() => calendarOf(current.site?.timeZone ?? 'UTC').dayOf(now.value))
  const kept = JSON.parse(localStorage.getItem('acequia.range') ?? 'null') as { all?: boolean; span?: number; first?: string; last?: string } | null
  /** Days up to today, or null where first and last day were chosen. */
  const span = ref<number | null>(kept?.span ?? (kept?.first || kept?.all ? null : 30))
  /** Whether everything ever recorded is in view. */
  const all = ref(!!kept?.all)
  const chosenFirst = ref(kept?.first ?? '')
  const chosenLast = ref(kept?.last ?? '')
  const last = computed(() => (span.value || all.value ? today.value : chosenLast.value))
  const first = computed(() => {
    if (all.value) return current.progress?.firstDay ?? today.value
    return span.value ? addDays(today.value, 1 - span.value) : chosenFirst.value
  })
  const length = computed(() => Math.round((Date.parse(last.value) - Date.parse(first.value)) / 86_400_000) + 1)
  /** As the API wants it: `from` included, `to` not. */
  const asked = computed(() => ({ from: first.value, to: addDays(last.value, 1) }))
  /** The range of as many days right before it, as the API wants it. */
  const before = computed(() => ({ from: addDays(first.value, -length.value), to: first.value }))
  const query = computed(() => `from=${asked.value.from}&to=${asked.value.to}`)

  watch([all, span, chosenFirst, chosenLast], () =>
    localStorage.setItem(
      'acequia.range',
      JSON.stringify(all.value ? { all: true } : span.value ? { span: span.value } : { first: chosenFirst.value, last: chosenLast.value }),
    ),
  )

  /** Shows so many days up to today. */
  function showSpan(days: number): void {
    span.value = days
    all.value = false
  }

  /** Shows everything from the first recorded day up to today. */
  function showAll(): void {
    span.value = null
    all.value = true
  }

  /** Shows the days from one to another, both included. */
  function showDays(from: string, to: string): void {
    ;[chosenFirst.value, chosenLast.value] = from <= to ? [from, to] : [to, from]
    span.value = null
    all.value = false
  }

  /** Moves by the range's own length, backwards or forwards, but not beyond today. */
  function move(direction: 1 | -1): void {
    if (all.value) return
    const days = length.value
    const newLast = addDays(last.value, direction * days)
    if (newLast >= today.value) return showSpan(days)
    showDays(addDays(newLast, 1 - days), newLast)
  }

  return { span, all, first, last, length, asked, before, query, today, showSpan, showAll, showDays, move }
})
