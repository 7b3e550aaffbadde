<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useCurrentSite } from '../sites/currentSite'
import { useProbe } from './useProbe'

/** Chooses an element by pointing at it on the site itself, in another tab. */
const emit = defineEmits<{ choose: [selector: string] }>()
const current = useCurrentSite()
const { reports, running, problem, begin } = useProbe()
const address = ref(sessionStorage.getItem(`acequia.pickedAt.${current.key}`) ?? '/')
const picked = computed(() => [...reports.value].reverse().find((each) => each.kind === 'picked'))
const ran = computed(() => reports.value.some((each) => each.kind === 'ran'))

watch(picked, (found) => found && emit('choose', String(found.selector)))

async function open(): Promise<void> {
  sessionStorage.setItem(`acequia.pickedAt.${current.key}`, address.value)
  await begin('pick', address.value)
}
</script>

<template>
  <form class="picker" @submit.prevent="open">
    <label
      >Or point at it on the site:
      <input v-model="address" class="mono" maxlength="2000" placeholder="/nights" aria-label="Page on which to point at the element"
    /></label>
    <button>Open the page</button>
    <p class="hint" role="status">
      <template v-if="problem">{{ problem }}</template>
      <template v-else-if="picked"
        >Chosen: <code>{{ picked.selector }}</code>, matches {{ picked.matches }} {{ picked.matches === 1 ? 'element' : 'elements' }} there now<template
          v-if="picked.text"
          >: “{{ picked.text }}”</template
        ></template
      >
      <template v-else-if="ran">The page is open. Point at the element there and click it.</template>
      <template v-else-if="running">Waiting for the page. It needs the loader.</template>
    </p>
  </form>
</template>

<style scoped>
.picker {
  border-top: 1px solid var(--plaster-3);
  margin-top: 8px;
  padding-top: 8px;
}
label {
  display: block;
  margin-bottom: 6px;
}
input {
  width: 200px;
  padding: 3px 8px;
}
.hint {
  margin: 6px 0 0;
}
</style>
