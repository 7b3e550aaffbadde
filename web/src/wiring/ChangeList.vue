<script setup lang="ts">
import type { WiringDifference } from '@acequia/core/wiring/wiringDifferences'

/** Differences between two wirings, in sentences. */
defineProps<{ changes: WiringDifference[] }>()
const WORDS = { tag: 'Tag', trigger: 'Trigger', reading: 'Reading', relay: 'Relay link' } as const
</script>

<template>
  <ul class="changes">
    <li v-for="change in changes" :key="change.what + change.id" :class="change.change">
      <strong>{{ WORDS[change.what] }} {{ change.change }}</strong>
      <p v-if="change.from" class="from"><span class="visually-hidden">Before: </span>{{ change.from }}</p>
      <p v-if="change.to"><span class="visually-hidden">Now: </span>{{ change.to }}</p>
    </li>
  </ul>
</template>

<style scoped>
.changes {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 8px;
}
li {
  border-left: 3px solid var(--ink-3);
  padding: 2px 12px;
}
li.added {
  border-color: var(--water);
}
li.removed {
  border-color: var(--loss);
}
p {
  margin: 0;
  max-width: 90ch;
}
.from {
  text-decoration: line-through;
  color: var(--ink-2);
}
</style>
