<script setup lang="ts">
import type { WiringDifference } from '@acequia/core/wiring/wiringDifferences'
import { ref } from 'vue'
import { api, messageOf } from '../app/api'
import { agoText, timeText } from '../app/formatting'
import { useLoaded } from '../app/useLoaded'
import { useCurrentSite } from '../sites/currentSite'
import ChangeList from './ChangeList.vue'

/** What went live when, what it changed, and the way back. */
interface Release {
  number: number
  name: string
  note: string
  releasedAt: string
  releasedBy: string
  restores: number | null
  checksum: string
  live: boolean
}
const current = useCurrentSite()
const { data, error, reload } = useLoaded<Release[]>((signal) => api('GET', `${current.path}/releases`, undefined, signal))
const opened = ref<Record<number, WiringDifference[]>>({})
const asking = ref<number | null>(null)
const problem = ref('')
const from = ref<number>()
const to = ref<number | 'draft'>()
const compared = ref<WiringDifference[]>()

async function compare(): Promise<void> {
  problem.value = ''
  compared.value = undefined
  if (from.value === undefined || to.value === undefined) return
  try {
    compared.value = (await api<{ changes: WiringDifference[] }>('GET', `${current.path}/releases:compare?from=${from.value}&to=${to.value}`)).changes
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}
const busy = ref(false)

async function look(number: number): Promise<void> {
  if (opened.value[number]) return
  try {
    const release = await api<{ changes: WiringDifference[] }>('GET', `${current.path}/releases/${number}`)
    opened.value = { ...opened.value, [number]: release.changes }
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

async function restore(number: number): Promise<void> {
  busy.value = true
  problem.value = ''
  try {
    await api('POST', `${current.path}/releases/${number}:restore`)
    asking.value = null
    await Promise.all([reload(), current.refreshProgress()])
  } catch (cause) {
    problem.value = messageOf(cause)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div class="screen">
    <div class="screen-head"><h1>Releases</h1></div>
    <p v-if="error || problem" class="problem" role="alert">{{ problem || error }}</p>
    <div v-if="data && !data.length" class="empty">
      <h2>Nothing is live yet</h2>
      <p>The loader already records pages and forms. Tags fire once the draft of the wiring is released.</p>
      <RouterLink class="button main-action" :to="{ name: 'wiring', params: { key: current.key } }">To the wiring</RouterLink>
    </div>
    <form v-if="data?.length" class="compare" @submit.prevent="compare">
      What changed from
      <select v-model="from" aria-label="From" @change="compare">
        <option v-for="release in data" :key="release.number" :value="release.number">{{ release.number }} {{ release.name }}</option>
        <option :value="0">nothing</option>
      </select>
      to
      <select v-model="to" aria-label="To" @change="compare">
        <option value="draft">the draft</option>
        <option v-for="release in data" :key="release.number" :value="release.number">{{ release.number }} {{ release.name }}</option>
      </select>
    </form>
    <div v-if="compared" class="compared" role="status">
      <ChangeList v-if="compared.length" :changes="compared" />
      <p v-else class="hint">Nothing: the two are the same.</p>
    </div>
    <ol v-if="data?.length" class="releases">
      <li v-for="release in data" :key="release.number" :class="{ live: release.live }">
        <div class="head">
          <strong class="number">{{ release.number }}</strong>
          <div class="what">
            <strong>{{ release.name }}</strong> <span v-if="release.live" class="live-mark">live</span>
            <p class="hint" :title="timeText(release.releasedAt, current.site?.timeZone ?? 'UTC')">
              {{ agoText(release.releasedAt) }} by {{ release.releasedBy
              }}<template v-if="release.restores">, restores release {{ release.restores }}</template>
            </p>
            <p v-if="release.note">{{ release.note }}</p>
            <details @toggle="look(release.number)">
              <summary>What it changed</summary>
              <ChangeList v-if="opened[release.number]?.length" :changes="opened[release.number]!" />
              <p v-else class="hint">{{ opened[release.number] ? 'Nothing in triggers and tags.' : 'Looking …' }}</p>
              <p class="hint mono" title="SHA-256 of the whole release: it never changes">{{ release.checksum.slice(0, 16) }}</p>
            </details>
          </div>
          <button v-if="!release.live && current.site?.role !== 'reader' && asking !== release.number" @click="asking = release.number">Restore …</button>
        </div>
        <div v-if="asking === release.number" class="asking" role="alertdialog" :aria-label="`Restore release ${release.number}`">
          <p>
            Release {{ release.number }} goes live again as release {{ data[0]!.number + 1 }}, and the draft becomes the same. What is in the draft now and in
            no release is lost.
          </p>
          <button class="goes-live" :disabled="busy" @click="restore(release.number)">Put it live again</button>
          <button :disabled="busy" @click="asking = null">Leave it</button>
        </div>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.compare {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.compare select {
  max-width: 260px;
}
.compared {
  margin: 14px 0;
  padding: 12px;
  background: var(--plaster-2);
  border-radius: var(--radius);
}
.releases {
  list-style: none;
  margin: 0;
  padding: 0;
  max-width: 900px;
}
li {
  border-bottom: 1px solid var(--plaster-3);
  padding: 14px 0;
}
.head {
  display: flex;
  gap: 18px;
  align-items: flex-start;
}
.number {
  font: 600 24px/1.1 var(--display);
  width: 42px;
  text-align: right;
  color: var(--ink-3);
}
.live .number {
  color: var(--clay);
}
.what {
  flex: 1;
}
.what p {
  margin: 2px 0;
}
.live-mark {
  background: var(--clay-run);
  border-radius: 3px;
  padding: 1px 7px;
  font-size: 12px;
  font-weight: 700;
}
summary {
  cursor: pointer;
  color: var(--ink-2);
  margin: 4px 0;
}
.asking {
  margin: 10px 0 0 60px;
  border-left: 3px solid var(--clay);
  padding: 4px 14px;
}
.asking button {
  margin-right: 8px;
}
</style>
