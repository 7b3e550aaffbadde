<script setup lang="ts">
import { computed } from 'vue'

/** A line of small size for tables: how something went, without numbers. */
const props = defineProps<{ values: number[]; label: string }>()
const WIDTH = 96
const HEIGHT = 26
const points = computed(() => {
  const most = Math.max(1, ...props.values)
  const step = WIDTH / Math.max(1, props.values.length - 1)
  return props.values.map((value, index) => `${(index * step).toFixed(1)},${(HEIGHT - 2 - (value / most) * (HEIGHT - 4)).toFixed(1)}`)
})
</script>

<template>
  <svg :width="WIDTH" :height="HEIGHT" role="img" :aria-label="label">
    <polygon :points="`0,${HEIGHT} ${points.join(' ')} ${WIDTH},${HEIGHT}`" class="under" />
    <polyline :points="points.join(' ')" class="line" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
.under {
  fill: var(--water-mist);
}
.line {
  fill: none;
  stroke: var(--water);
  stroke-width: 1.5;
  stroke-linejoin: round;
}
</style>
