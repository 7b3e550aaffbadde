<script setup lang="ts">
import { isGlued, type Part } from '@acequia/core/sentences/Part'
import { computed } from 'vue'

/** A sentence for reading only, its variable parts set off. */
const props = defineProps<{ parts: Part[] }>()
const shown = computed(() => props.parts.filter((part) => part.type !== 'action'))
</script>

<template>
  <span class="sentence-text">
    <template v-for="(part, index) in shown" :key="index"
      >{{ index && !isGlued(part) ? ' ' : '' }}<span v-if="part.type === 'chip'" class="part" :class="{ mono: part.mono }">{{ part.text }}</span
      ><template v-else>{{ part.text }}</template></template
    >
  </span>
</template>

<style scoped>
.part {
  font-weight: 600;
  border-bottom: 2px solid var(--water-run);
  overflow-wrap: anywhere;
}
.part.mono {
  font-weight: 500;
}
</style>
