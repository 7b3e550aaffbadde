<script setup lang="ts">
import { computed } from 'vue'
import { count, dayText } from '../app/formatting'

/** Bars for the days of a range. Small, without axes; each bar says its number on hover and to screen readers. */
const props = withDefaults(defineProps<{ days: { day: string; value: number }[]; unit: string; height?: number; labels?: boolean }>(), {
  height: 80,
  labels: true,
})
const most = computed(() => Math.max(1, ...props.days.map((each) => each.value)))
const total = computed(() => props.days.reduce((sum, each) => sum + each.value, 0))
const width = computed(() => 100 / Math.max(1, props.days.length))
</script>

<template>
  <figure>
    <svg :height="height" width="100%" role="img" :aria-label="`${count(total)} ${unit} over ${days.length} days, at most ${count(most)} a day`">
      <g v-for="(each, index) in days" :key="each.day">
        <rect class="hit" :x="`${index * width}%`" y="0" :width="`${width}%`" :height="height">
          <title>{{ dayText(each.day) }}: {{ count(each.value) }} {{ unit }}</title>
        </rect>
        <rect
          class="bar"
          :x="`${index * width + width * 0.12}%`"
          :y="height - Math.max(each.value ? 2 : 0.5, (each.value / most) * (height - 2))"
          :width="`${width * 0.76}%`"
          :height="Math.max(each.value ? 2 : 0.5, (each.value / most) * (height - 2))"
        />
      </g>
    </svg>
    <figcaption v-if="labels && days.length">
      <span>{{ dayText(days[0]!.day) }}</span><span>{{ dayText(days[days.length - 1]!.day) }}</span>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
svg {
  display: block;
}
.hit {
  fill: transparent;
}
.hit:hover + .bar {
  fill: var(--water);
}
.bar {
  fill: var(--water-2);
  pointer-events: none;
}
figcaption {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
  color: var(--ink-2);
  margin-top: 4px;
}
</style>
