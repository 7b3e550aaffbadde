<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useCurrentSite } from '../sites/currentSite'

/** Says that the draft differs from what is live, and offers to try and to release it. */
const current = useCurrentSite()
const route = useRoute()
const differs = computed(() => current.progress?.draftDiffers ?? 0)
const next = computed(() => (current.progress?.release ?? 0) + 1)
</script>

<template>
  <div v-if="differs && route.name !== 'new-release'" class="strip no-print" role="status">
    <strong>Draft differs from what is live</strong>
    <span>{{ differs }} {{ differs === 1 ? 'change' : 'changes' }}</span>
    <RouterLink class="button first" :to="{ name: 'rehearsal', params: { key: current.key } }">Rehearse</RouterLink>
    <RouterLink class="button" :to="{ name: 'dry-run', params: { key: current.key } }">Dry run</RouterLink>
    <RouterLink class="button goes-live" :to="{ name: 'new-release', params: { key: current.key } }">Release {{ next }} …</RouterLink>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 4px 12px;
  padding: 4px 24px;
  background: var(--clay-run);
}
.first {
  margin-left: auto;
}
@media (max-width: 700px) {
  .first {
    margin-left: 0;
  }
}
</style>
