<script setup lang="ts">
import { addDays } from '@acequia/core/days/zone'
import { triggerSentence } from '@acequia/core/sentences/triggerSentence'
import { tagValueWords } from '@acequia/core/sentences/tagSentence'
import { plainText } from '@acequia/core/sentences/Part'
import type { Tag } from '@acequia/core/wiring/wiringSchema'
import { Copy, Pause, Play } from 'lucide-vue-next'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../app/api'
import { count, money } from '../app/formatting'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import DailyBars from '../charts/DailyBars.vue'
import SentenceText from '../sentences/SentenceText.vue'
import { useCurrentSite } from '../sites/currentSite'
import { newId, useWiring } from './useWiring'

/** The ledger of the wiring: when … on the left, then … on the right, how often between. */
const current = useCurrentSite()
const range = useRange()
const live = useLive()
const router = useRouter()
const { wiring, channels, problem, change } = useWiring()
const channelFilter = ref('')
const text = ref('')

interface TriggerEvidence {
  id: string
  events: number
  daily: { day: string; events: number }[]
}
const week = computed(() => `from=${addDays(range.today, -6)}&to=${addDays(range.today, 1)}`)
const { data: evidence } = useLoaded<TriggerEvidence[]>(
  (signal) => api('GET', `${current.path}/wiring:evidence?${week.value}`, undefined, signal),
  [() => wiring.value?.revision, () => live.changes],
  800,
)

const rows = computed(() => {
  const { triggers = [], tags = [] } = wiring.value ?? {}
  const wanted = text.value.trim().toLowerCase()
  return triggers
    .map((trigger) => ({
      trigger,
      sentence: triggerSentence(trigger),
      tags: tags.filter((tag) => tag.triggers.includes(trigger.id)),
      evidence: evidence.value?.find((each) => each.id === trigger.id),
    }))
    .filter((row) => !channelFilter.value || row.tags.some((tag) => tag.does.channel === channelFilter.value))
    .filter((row) => !wanted || `${plainText(row.sentence)} ${row.tags.map((tag) => tag.name).join(' ')}`.toLowerCase().includes(wanted))
})
const loose = computed(() => (wiring.value?.tags ?? []).filter((tag) => !tag.triggers.length))
const changeOf = (id: string): string | undefined => wiring.value?.changes.find((each) => each.id === id)?.change
const currency = computed(() => current.site?.currency ?? 'EUR')
const canEdit = computed(() => current.site?.role !== 'reader')

function tagNote(tag: Tag): string {
  if (tag.paused) return 'paused'
  if (tag.does.call === 'base') return 'pixel'
  return tag.does.value.type === 'fixed'
    ? money(tag.does.value.amount, currency.value)
    : tag.does.value.type === 'none'
      ? 'event'
      : tagValueWords(tag.does.value).replace(/^the /, '')
}

const togglePause = (tag: Tag): Promise<boolean> =>
  change((draft) => ({ ...draft, tags: draft.tags.map((each) => (each.id === tag.id ? { ...each, paused: !each.paused } : each)) }))
const duplicate = (tag: Tag): Promise<boolean> =>
  change((draft) => ({ ...draft, tags: [...draft.tags, { ...tag, id: newId(), name: `${tag.name} (copy)`.slice(0, 200), paused: true }] }))

useKeys({ n: () => void router.push({ name: 'trigger', params: { key: current.key, id: 'new' } }) })
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Wiring</h1>
      <template v-if="wiring?.triggers.length">
        <input v-model="text" type="search" placeholder="Filter" aria-label="Filter the wiring" />
        <select v-if="channels.length" v-model="channelFilter" aria-label="Channel">
          <option value="">All channels</option>
          <option v-for="channel in channels" :key="channel.id" :value="channel.id">{{ channel.name }}</option>
        </select>
      </template>
      <a class="button" :href="`/api/v1${current.path}/wiring:export`" download>Export</a>
      <RouterLink v-if="canEdit" class="button main-action" :to="{ name: 'trigger', params: { key: current.key, id: 'new' } }"
        >New trigger <kbd>n</kbd></RouterLink
      >
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div v-if="wiring && !wiring.triggers.length && !wiring.tags.length" class="empty">
      <h2>Nothing fires yet</h2>
      <p>
        First say <em>when</em>: on every page, on a thank-you page, when a form is sent. Then say what happens <em>then</em>: which channel is told, and with
        which value.
      </p>
      <RouterLink v-if="!channels.length" class="button" :to="{ name: 'channels', params: { key: current.key } }">Connect a channel first</RouterLink>
      <RouterLink class="button main-action" :to="{ name: 'trigger', params: { key: current.key, id: 'new' } }">Make the first trigger</RouterLink>
    </div>
    <table v-else-if="wiring" class="figures ledger">
      <thead>
        <tr>
          <th>When …</th>
          <th title="How often this happened in the last 7 days, by what was recorded">last 7 days</th>
          <th>… then</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.trigger.id">
          <td>
            <RouterLink class="when" :to="{ name: 'trigger', params: { key: current.key, id: row.trigger.id } }"
              ><SentenceText :parts="row.sentence"
            /></RouterLink>
            <span v-if="changeOf(row.trigger.id)" class="changed">{{ changeOf(row.trigger.id) }}</span>
            <p v-if="row.trigger.note" class="hint">{{ row.trigger.note }}</p>
          </td>
          <td class="fired">
            <template v-if="row.evidence">
              <DailyBars :days="row.evidence.daily.map((each) => ({ day: each.day, value: each.events }))" unit="times" :height="26" :labels="false" />
              <strong>{{ count(row.evidence.events) }}</strong>
            </template>
          </td>
          <td>
            <div class="tags">
              <span v-for="tag in row.tags" :key="tag.id" class="tag" :class="{ paused: tag.paused, differs: changeOf(tag.id) }">
                <RouterLink :to="{ name: 'tag', params: { key: current.key, id: tag.id } }"
                  >{{ tag.name }} <small>{{ changeOf(tag.id) ? `${changeOf(tag.id)}, ${tagNote(tag)}` : tagNote(tag) }}</small></RouterLink
                >
                <button
                  v-if="canEdit"
                  class="small"
                  :title="tag.paused ? 'Let it fire again' : 'Pause'"
                  :aria-label="`${tag.paused ? 'Go on with' : 'Pause'} ${tag.name}`"
                  @click="togglePause(tag)"
                >
                  <component :is="tag.paused ? Play : Pause" :size="13" aria-hidden="true" />
                </button>
                <button v-if="canEdit" class="small" title="Duplicate, paused" :aria-label="`Duplicate ${tag.name}`" @click="duplicate(tag)">
                  <Copy :size="13" aria-hidden="true" />
                </button>
              </span>
              <RouterLink v-if="canEdit" class="button quiet" :to="{ name: 'tag', params: { key: current.key, id: 'new' }, query: { trigger: row.trigger.id } }"
                >then …</RouterLink
              >
            </div>
          </td>
        </tr>
        <tr v-if="loose.length">
          <td class="hint">Never: these tags have no trigger</td>
          <td />
          <td>
            <div class="tags">
              <span v-for="tag in loose" :key="tag.id" class="tag paused"
                ><RouterLink :to="{ name: 'tag', params: { key: current.key, id: tag.id } }">{{ tag.name }}</RouterLink></span
              >
            </div>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="wiring?.triggers.length && !rows.length" class="hint">No trigger or tag contains this.</p>
  </div>
</template>

<style scoped>
.ledger td {
  padding: 13px 8px;
  vertical-align: middle;
}
.when {
  color: var(--ink);
  text-decoration: none;
  font-size: 15px;
  line-height: 1.7;
}
.when:hover {
  color: var(--water);
}
.fired {
  width: 150px;
}
.fired > :deep(figure) {
  width: 74px;
  display: inline-block;
  vertical-align: middle;
  margin-right: 10px;
}
.tags {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.tag {
  display: inline-flex;
  align-items: center;
  border: 1px solid var(--plaster-3);
  border-left: 4px solid var(--water);
  border-radius: 3px;
}
.tag a {
  padding: 4px 8px;
  color: var(--ink);
  text-decoration: none;
}
.tag a:hover {
  text-decoration: underline;
}
.tag small {
  color: var(--ink-2);
  margin-left: 3px;
}
.differs {
  background: var(--clay-run);
  border-left-color: var(--clay);
}
.differs small {
  color: var(--ink);
}
.paused {
  border-left-color: var(--ink-3);
  border-style: dashed;
}
.paused a {
  color: var(--ink-2);
}
.small {
  border: 0;
  background: none;
  padding: 4px 6px;
  color: var(--ink-2);
}
.small:hover {
  color: var(--water);
}
.changed {
  margin-left: 8px;
  font-size: 12px;
  background: var(--clay-run);
  border-radius: 3px;
  padding: 1px 6px;
}
</style>
