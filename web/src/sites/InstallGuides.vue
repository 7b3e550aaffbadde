<script setup lang="ts">
import { guidesOf, type Guide } from '@acequia/core/installation/guides'
import { computed, ref } from 'vue'
import { useCurrentSite } from './currentSite'

/** How to place the loader, by the kind of website. */
const current = useCurrentSite()
const guides = computed(() => guidesOf(location.origin, current.key, current.site?.scriptHosts ?? []))
const open = ref<Guide['id'] | null>(null)
const shown = computed(() => guides.value.find((guide) => guide.id === open.value))
</script>

<template>
  <section class="guides">
    <h2>How to place it</h2>
    <div class="kinds">
      <button
        v-for="guide in guides"
        :key="guide.id"
        :aria-expanded="open === guide.id"
        :class="{ chosen: open === guide.id }"
        @click="open = open === guide.id ? null : guide.id"
      >
        {{ guide.title }}
      </button>
    </div>
    <div v-if="shown" class="guide">
      <ol>
        <li v-for="step in shown.steps" :key="step">{{ step }}</li>
      </ol>
      <pre v-if="shown.code" tabindex="0" :aria-label="`To copy for ${shown.title}`"><code>{{ shown.code }}</code></pre>
    </div>
  </section>
</template>

<style scoped>
.guides {
  margin: 22px 0;
}
.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.chosen {
  background: var(--water-run);
  border-color: var(--water-2);
}
.guide {
  max-width: 720px;
  margin-top: 10px;
}
pre {
  background: var(--plaster-2);
  border-radius: var(--radius);
  padding: 10px 14px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
