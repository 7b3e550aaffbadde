<script setup lang="ts">
import type { FunnelStepCount } from '@acequia/core/funnels/FunnelTally'
import { useElementSize } from '../app/useElementSize'
import { computed, ref } from 'vue'
import { count, rate } from '../app/formatting'
import { waterPicture } from './waterPicture'

/** A funnel as water seen from above: the width is the number, gates are the steps, leaks run off downward. */
const props = defineProps<{ steps: FunnelStepCount[]; most: number; name: string }>()
defineEmits<{
  /** Somebody wants to see the visits behind a leak. */
  leak: [step: number, to: string | null | undefined]
}>()
const root = ref<HTMLElement>()
const width = useElementSize(root)
const vertical = computed(() => width.value > 0 && width.value < 620)
const picture = computed(() =>
  waterPicture(
    props.steps,
    Math.max(280, width.value || 1000),
    props.most,
    (step, short) => (short ? rate(step.rate) : `${rate(step.rate)} go on`),
    vertical.value,
  ),
)
const shorten = (text: string, room: number, letter = 7.4): string =>
  text.length * letter > room ? `${text.slice(0, Math.max(3, Math.floor(room / letter) - 1))}…` : text
const share = (part: number, step: number): string => rate(part / Math.max(1, (props.steps[step]?.entered ?? 0) + (props.steps[step]?.arrived ?? 0)))
</script>

<template>
  <div ref="root" class="water">
    <svg
      :viewBox="`0 0 ${picture.width} ${picture.height}`"
      :width="picture.width"
      :height="picture.height"
      role="group"
      :aria-label="`${name}: ${steps.length} steps. The same numbers are in the table below.`"
    >
      <g v-for="(gate, index) in picture.gates" :key="index">
        <path v-if="gate.band" class="band" :d="gate.band.d" />
        <path v-if="gate.joined" class="joined" :d="gate.joined.d">
          <title>{{ count(gate.joined.count) }} joined at {{ gate.name }}</title>
        </path>
        <g
          v-for="leak in gate.leaks"
          :key="String(leak.path) + leak.words"
          class="leak"
          tabindex="0"
          role="button"
          :aria-label="`${leak.words} after ${gate.name}: ${count(leak.count)}, ${share(leak.count, index)} of those there`"
          @click="$emit('leak', index, leak.path)"
          @keydown.enter="$emit('leak', index, leak.path)"
        >
          <title>
            {{
              leak.path === undefined
                ? steps[index]!.leftTo.slice(-12)
                    .map((each) => `${each.path ?? 'left the site'} ${count(each.count)}`)
                    .join('\n')
                : `${leak.words}: ${count(leak.count)}, ${share(leak.count, index)} of those at ${gate.name}`
            }}
          </title>
          <path :d="leak.d" :class="{ away: leak.path === null }" />
          <text :x="leak.x" :y="leak.y">
            <tspan :class="{ page: leak.path }">{{ shorten(leak.words, Math.max(60, gate.room * 0.55)) }}</tspan>
            <tspan class="lost" dx="4">{{ count(leak.count) }}</tspan>
          </text>
        </g>
      </g>
      <path class="out" :d="picture.outflow" />
      <g v-for="(gate, index) in picture.gates" :key="`gate ${index}`">
        <rect class="gate" :x="gate.x" :y="gate.y" :width="gate.width" :height="gate.height" rx="2" />
        <text class="name" :x="gate.labelX" :y="gate.labelY">
          {{ shorten(gate.name || `Step ${index + 1}`, vertical ? 240 : gate.room) }}
          <title>{{ gate.name }}</title>
        </text>
        <text class="number" :x="gate.labelX" :y="vertical ? gate.labelY + 21 : gate.labelY + 24">{{ count(gate.count) }}</text>
        <text
          v-if="gate.band"
          class="share"
          :class="{ inside: gate.band.inside && !vertical }"
          :text-anchor="vertical ? 'start' : 'end'"
          :x="gate.band.x"
          :y="gate.band.y"
        >
          {{ gate.band.words }}
        </text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.water {
  overflow-x: auto;
}
svg {
  display: block;
  font: 13px var(--font);
}
text {
  fill: var(--ink);
}
.band,
.joined {
  fill: var(--water-2);
}
.joined {
  fill: var(--water-run);
}
.out {
  fill: var(--water);
}
.gate {
  fill: var(--ink);
}
.leak {
  cursor: pointer;
}
.leak path {
  fill: var(--clay-fill);
  opacity: 0.55;
}
.leak path.away {
  opacity: 0.85;
}
.leak:hover path,
.leak:focus-visible path {
  opacity: 1;
}
.page {
  font: 12.5px var(--mono);
}
.lost {
  fill: var(--clay);
  font-weight: 600;
}
.name {
  font-weight: 600;
}
.number {
  font: 600 21px var(--display);
  fill: var(--water);
}
.share {
  font-weight: 600;
  fill: var(--water);
}
.share.inside {
  fill: #fff;
}
[data-theme='dark'] .share.inside {
  fill: var(--on-water);
}
</style>
