<script setup lang="ts">
import { onMounted, ref } from 'vue'

/** The list of keys. */
defineEmits<{ close: [] }>()
const button = ref<HTMLButtonElement>()
const KEYS: [string, string][] = [
  ['/  or  Ctrl K', 'search, and commands'],
  ['n', 'something new on this screen'],
  ['e', 'edit what is on screen'],
  ['r', 'rehearse the draft'],
  ['Ctrl S', 'save'],
  ['Ctrl Enter', 'the main action of the screen'],
  ['[   ]', 'the range of days before, and after'],
  ['Esc', 'close what is open'],
  ['?', 'this list'],
]
onMounted(() => button.value?.focus())
</script>

<template>
  <div class="cover" @click.self="$emit('close')" @keydown.esc="$emit('close')">
    <div class="box" role="dialog" aria-modal="true" aria-label="Keys">
      <h1>Keys</h1>
      <dl>
        <template v-for="[key, what] in KEYS" :key="key">
          <dt>
            <kbd>{{ key }}</kbd>
          </dt>
          <dd>{{ what }}</dd>
        </template>
      </dl>
      <button ref="button" @click="$emit('close')">Close</button>
    </div>
  </div>
</template>

<style scoped>
.cover {
  position: fixed;
  inset: 0;
  z-index: 50;
  background: color-mix(in srgb, var(--ink) 22%, transparent);
}
.box {
  width: min(440px, 92vw);
  margin: 14vh auto 0;
  padding: 22px;
  background: var(--plaster);
  border: 1px solid var(--water);
  border-radius: var(--radius);
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px 18px;
}
dd {
  margin: 0;
}
</style>
