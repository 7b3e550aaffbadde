<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from 'vue'
import { api, messageOf } from '../app/api'
import { count } from '../app/formatting'
import { useCurrentSite } from './currentSite'

/** Makes everything that was counted anew from the log, with progress; can be paused and given up. */
interface DerivationAnswer {
  state: 'shown' | 'filling'
  paused: boolean
  done: number
  total: number
  changes: boolean
}
const current = useCurrentSite()
const state = ref<DerivationAnswer>()
const problem = ref('')
const mayChange = computed(() => current.site?.role === 'owner')
let timer: ReturnType<typeof setTimeout> | undefined

async function call(method: 'GET' | 'POST', what = ''): Promise<void> {
  clearTimeout(timer)
  problem.value = ''
  try {
    state.value = await api<DerivationAnswer>(method, `${current.path}/derivation${what}`)
    if (state.value.state === 'filling') timer = setTimeout(() => void call('GET'), 1000)
  } catch (error) {
    problem.value = messageOf(error)
  }
}

void call('GET')
onBeforeUnmount(() => clearTimeout(timer))
</script>

<template>
  <section class="derivation">
    <h2>Figures</h2>
    <p class="hint">
      Visits, conversions and every report follow from the recorded events. They can be made anew at any time; until that is done, the figures of before are
      shown.
    </p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div v-if="state?.state === 'filling'" role="status">
      <progress :value="state.done" :max="state.total || 1" aria-label="Visitors gone through" />
      {{ state.paused ? 'Paused' : 'Being made anew' }}: {{ count(state.done) }} of {{ state.total ? count(state.total) : '…' }} visitors.
      <span v-if="state.changes">Goals or settings have changed, and their figures need this.</span>
    </div>
    <p v-if="state && mayChange" class="actions">
      <button v-if="state.state === 'shown'" type="button" @click="call('POST', ':begin')">Make all figures anew</button>
      <template v-else>
        <button type="button" @click="call('POST', state.paused ? ':resume' : ':pause')">{{ state.paused ? 'Go on' : 'Pause' }}</button>
        <button v-if="!state.changes" type="button" @click="call('POST', ':cancel')">Give up</button>
      </template>
    </p>
  </section>
</template>

<style scoped>
.derivation {
  margin-top: 28px;
  max-width: 80ch;
}
progress {
  accent-color: var(--water);
  margin-right: 8px;
}
</style>
