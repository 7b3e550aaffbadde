<script setup lang="ts">
import { describeSeenValue } from '@acequia/core/readings/describeSeenValue'
import type { SeenValue } from '@acequia/core/readings/ValueCount'
import { computed } from 'vue'
import { api } from '../app/api'
import { count } from '../app/formatting'
import { useRange } from '../app/range'
import { useLoaded } from '../app/useLoaded'
import { useCurrentSite } from '../sites/currentSite'

/** Offers what a reading really was on the site, most frequent first. */
const props = defineProps<{ reading: string; search: string; event: string | undefined }>()
const emit = defineEmits<{ choose: [text: string] }>()
const current = useCurrentSite()
const range = useRange()

const { data, loading } = useLoaded(
  (signal) => {
    const query = new URLSearchParams({ reading: props.reading, search: props.search, ...range.asked, ...(props.event && { event: props.event }) })
    return api<SeenValue[]>('GET', `${current.path}/values?${query.toString()}`, undefined, signal)
  },
  [() => props.reading, () => props.search, () => props.event, () => range.query],
  150,
)
const shown = computed(() => (data.value ?? []).slice(0, 8))
</script>

<template>
  <div class="offers">
    <h2>Seen on the site, last {{ range.length }} days</h2>
    <ul v-if="shown.length">
      <li v-for="value in shown" :key="value.text">
        <button type="button" @click="emit('choose', value.text)">
          <code class="truncate">{{ value.text }}</code>
          <span class="number">{{ count(value.events) }}</span>
          <small>{{ describeSeenValue(value) }}</small>
        </button>
      </li>
    </ul>
    <p v-else-if="!loading" class="hint">{{ search ? 'Nothing recorded contains this. It can still be used.' : 'Nothing recorded yet in these days.' }}</p>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
button {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 52px 156px;
  gap: 10px;
  width: 100%;
  text-align: left;
  align-items: baseline;
  border: 0;
  border-top: 1px solid var(--plaster-3);
  border-radius: 0;
  font-weight: 400;
  padding: 6px 4px;
}
button:hover {
  background: var(--water-mist);
}
.number {
  text-align: right;
}
small {
  font-size: 11.5px;
  white-space: normal;
  color: var(--ink-2);
}
</style>
