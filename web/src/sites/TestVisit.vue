<script setup lang="ts">
import { HOLD_WORDS, summarizeVisit } from '@acequia/core/wiring/summarizeVisit'
import type { Channel } from '@acequia/core/recipes/channelSchema'
import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import { computed, onBeforeUnmount, ref } from 'vue'
import { api } from '../app/api'
import { times } from '../app/formatting'
import { useLoaded } from '../app/useLoaded'
import { useProbe } from '../probes/useProbe'
import { useCurrentSite } from './currentSite'

/** Opens a page of the site and says whether the loader ran, what fired there, and who answered. */
const PATIENCE_MS = 8000
const current = useCurrentSite()
const { reports, running, problem, begunAt, begin, end } = useProbe()
const address = ref('/')
const now = ref(Date.now())
const clock = setInterval(() => (now.value = Date.now()), 1000)
onBeforeUnmount(() => clearInterval(clock))
const { data } = useLoaded(async (signal) => {
  const releases = await api<{ number: number; live: boolean }[]>('GET', `${current.path}/releases`, undefined, signal)
  const live = releases.find((release) => release.live)
  return live
    ? api<Wiring & { channels: Channel[] }>('GET', `${current.path}/releases/${live.number}`, undefined, signal)
    : { triggers: [], tags: [], readings: [], relays: [], channels: [] }
})
const summary = computed(() => summarizeVisit(reports.value as never, data.value?.tags ?? [], data.value?.channels ?? []))
const silent = computed(() => running.value && !summary.value.ran && now.value - begunAt.value > PATIENCE_MS)
</script>

<template>
  <section class="test-visit">
    <h2>Test visit</h2>
    <form v-if="current.site?.role !== 'reader'" @submit.prevent="begin('visit', address)">
      <label>Open <input v-model="address" class="mono" maxlength="2000" aria-label="Page to visit" /></label>
      <button>{{ running ? 'Again' : 'Visit' }}</button>
      <button v-if="running" type="button" @click="end">End</button>
    </form>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div v-if="running || reports.length" role="status">
      <p v-if="summary.ran" class="fine">✓ The loader ran on {{ summary.pages }} {{ summary.pages === 1 ? 'page' : 'pages' }}.</p>
      <p v-else-if="silent" class="wrong">
        ✗ No loader has answered yet. Is the page open in the other tab? Then the loader is missing there, has another key, or something keeps it from loading:
        an extension that blocks scripts, or the site's Content-Security-Policy.
      </p>
      <p v-else class="hint">Waiting for the page in the other tab …</p>
      <ul v-if="summary.tags.length">
        <li v-for="tag in summary.tags" :key="tag.id">
          <strong>{{ tag.name }}</strong>
          <span v-if="tag.fired" :class="tag.failed ? 'wrong' : 'fine'"
            >{{ tag.failed ? '✗' : '✓' }} fired {{ times(tag.fired) }}<template v-if="tag.answered">, {{ tag.channel ?? 'it' }} answered</template
            ><template v-else-if="tag.failed">, {{ tag.channel ?? 'it' }} gave no good answer</template
            ><template v-else>, waiting for an answer</template></span
          >
          <span v-else-if="tag.held" class="hint">held: {{ HOLD_WORDS[tag.held] }}</span>
          <span v-if="tag.error" class="wrong">{{ tag.error }}</span>
        </li>
      </ul>
      <p v-else-if="summary.ran" class="hint">No tag has fired here so far.</p>
      <p v-if="summary.ran" class="hint">Go on in the other tab; what fires shows here. This visit is counted like any other.</p>
    </div>
    <p v-else class="hint">Opens a page of the site in a new tab and tells here within seconds what the loader does there.</p>
  </section>
</template>

<style scoped>
input {
  width: 130px;
  padding: 3px 8px;
}
form {
  margin-bottom: 8px;
}
button {
  margin-left: 6px;
}
.fine {
  color: var(--water);
}
.wrong {
  color: var(--loss);
}
ul {
  list-style: none;
  padding: 0;
  margin: 0 0 8px;
}
li {
  border-bottom: 1px solid var(--plaster-3);
  padding: 5px 0;
}
li > * {
  margin-right: 6px;
}
</style>
