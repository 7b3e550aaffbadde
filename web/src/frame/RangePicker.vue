<script setup lang="ts">
import { defineAsyncComponent, nextTick, ref } from 'vue'
import { dayText } from '../app/formatting'
import { SPANS, useRange } from '../app/range'

/** The range of days in view, with its choices. */
const range = useRange()
const open = ref(false)
const root = ref<HTMLElement>()
const button = ref<HTMLButtonElement>()
const DayRange = defineAsyncComponent(() => import('./DayRange.vue'))

async function show(): Promise<void> {
  open.value = !open.value
  await nextTick()
  root.value?.querySelector<HTMLElement>('.panel button')?.focus()
}

function close(): void {
  open.value = false
  button.value?.focus()
}

function choose(days: number): void {
  range.showSpan(days)
  close()
}

function chooseAll(): void {
  range.showAll()
  close()
}

function chooseDays(first: string, last: string): void {
  range.showDays(first, last)
  close()
}
</script>

<template>
  <div ref="root" class="range" @keydown.esc="close" @focusout="!root?.contains($event.relatedTarget as Node | null) && $event.relatedTarget && (open = false)">
    <button class="step" aria-label="Range before" title="Range before ( [ )" :disabled="range.all" @click="range.move(-1)">‹</button>
    <button ref="button" class="shown" :aria-expanded="open" @click="show">
      {{ dayText(range.first) }} – {{ dayText(range.last)
      }}<span v-if="range.span || range.all" class="span">{{ range.all ? 'all' : `${range.span} days` }}</span>
    </button>
    <button class="step" aria-label="Range after" title="Range after ( ] )" :disabled="range.last >= range.today" @click="range.move(1)">›</button>
    <div v-if="open" class="panel" role="dialog" aria-label="Choose the days in view">
      <div class="spans">
        <button v-for="days in SPANS" :key="days" :class="{ 'main-action': range.span === days }" @click="choose(days)">Last {{ days }} days</button>
        <button :class="{ 'main-action': range.all }" @click="chooseAll">All days</button>
      </div>
      <DayRange :first="range.first" :last="range.last" :today="range.today" @choose="chooseDays" />
      <p class="hint">Days are days on the site's clock.</p>
    </div>
  </div>
</template>

<style scoped>
.range {
  position: relative;
  display: flex;
}
.range > button {
  border-radius: 0;
  font-weight: 500;
}
.range > button + button {
  margin-left: -1px;
}
.step:first-child {
  border-radius: var(--radius) 0 0 var(--radius) !important;
}
.step:last-of-type {
  border-radius: 0 var(--radius) var(--radius) 0 !important;
}
.span {
  color: var(--ink-3);
  margin-left: 4px;
}
.panel {
  position: absolute;
  z-index: 20;
  top: 38px;
  right: 0;
  background: var(--plaster);
  border: 1px solid var(--water);
  border-radius: var(--radius);
  padding: 14px;
  display: grid;
  gap: 12px;
}
.spans {
  display: flex;
  gap: 8px;
}
.hint {
  margin: 0;
}
</style>
