<script setup lang="ts">
import type { OwnReading } from '@acequia/core/readings/ownReadingSchema'
import { api } from '../app/api'
import { agoText } from '../app/formatting'
import { useLive } from '../app/live'
import { useLoaded } from '../app/useLoaded'
import { useCurrentSite } from '../sites/currentSite'

/** The marketer's own readings with what they last read. */
defineProps<{ readings: OwnReading[]; describe: (reading: OwnReading) => string; canEdit: boolean }>()
const current = useCurrentSite()
const live = useLive()
const { data } = useLoaded<{ name: string; values: { text: string; at: string }[] }[]>(
  (signal) => api('GET', `${current.path}/readings:latest`, undefined, signal),
  [() => Math.floor(live.changes / 5)],
  1500,
)
</script>

<template>
  <aside class="evidence" aria-label="Readings">
    <h2>Readings</h2>
    <p v-if="!readings.length" class="hint">
      Besides what every event tells (path, title, order …) you can read more from the page: a basket's total, a cookie, what the site's own scripts know. Rules
      and tags can then use it.
    </p>
    <ul>
      <li v-for="reading in readings" :key="reading.name">
        <RouterLink :to="{ name: 'reading', params: { key: current.key, name: reading.name } }"
          ><code>{{ reading.name }}</code></RouterLink
        >
        <p class="hint">{{ describe(reading) }}</p>
        <p v-for="value in (data?.find((each) => each.name === reading.name)?.values ?? []).slice(0, 2)" :key="value.text" class="value">
          <code class="truncate">{{ value.text }}</code><span class="hint">{{ agoText(value.at) }}</span>
        </p>
        <p v-if="data && !data.find((each) => each.name === reading.name)?.values.length" class="hint">not read yet</p>
      </li>
    </ul>
    <RouterLink v-if="canEdit" class="button" :to="{ name: 'reading', params: { key: current.key, name: 'new' } }">New reading</RouterLink>
    <RouterLink class="button" :to="{ name: 'relays', params: { key: current.key } }">Relay links</RouterLink>
  </aside>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0 0 12px;
  padding: 0;
}
li {
  border-bottom: 1px solid var(--plaster-3);
  padding: 8px 0;
}
p {
  margin: 0;
}
.value {
  display: flex;
  gap: 8px;
  justify-content: space-between;
  align-items: baseline;
  white-space: nowrap;
}
.value code {
  background: var(--water-mist);
  padding: 0 4px;
}
.button {
  margin: 0 6px 6px 0;
}
</style>
