<script setup lang="ts">
import { addDays } from '@acequia/core/days/zone'
import { plainText } from '@acequia/core/sentences/Part'
import { readingSentence } from '@acequia/core/sentences/readingSentence'
import { tagNote } from '@acequia/core/sentences/tagNote'
import { triggerSentence } from '@acequia/core/sentences/triggerSentence'
import type { Tag, Trigger } from '@acequia/core/wiring/wiringSchema'
import { Copy, GripVertical, Pause, Play, Redo2, StickyNote, Undo2 } from 'lucide-vue-next'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { VueDraggable, type DraggableEvent } from 'vue-draggable-plus'
import { api } from '../app/api'
import { count, locale, times } from '../app/formatting'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import DailyBars from '../charts/DailyBars.vue'
import ReadingsAside from '../readings/ReadingsAside.vue'
import SentenceText from '../sentences/SentenceText.vue'
import { useCurrentSite } from '../sites/currentSite'
import { useDraftHistory } from './draftHistory'
import { newId, useWiring } from './useWiring'

/** The ledger of the wiring: when … on the left, then … on the right, how often between. */
const current = useCurrentSite()
const range = useRange()
const live = useLive()
const router = useRouter()
const history = useDraftHistory()
const { wiring, channels, goals, problem, notice, change, undo, redo } = useWiring()
const channelFilter = ref('')
const pageFilter = ref('')
const groupBy = ref<'' | 'channel' | 'page'>('')
const text = ref('')
const moving = ref<{ tag: string; from: string } | null>(null)

interface Evidence {
  triggers: { id: string; events: number; daily: { day: string; events: number }[]; pages: string[] }[]
  tags: { id: string; fired: number; failed: number }[]
}
const week = computed(() => `from=${addDays(range.today, -6)}&to=${addDays(range.today, 1)}`)
const { data: evidence } = useLoaded<Evidence>(
  (signal) => api('GET', `${current.path}/wiring:evidence?${week.value}`, undefined, signal),
  [() => wiring.value?.revision, () => Math.floor(live.changes / 5)],
  800,
)
const fired = computed(() => new Map(evidence.value?.tags.map((tag) => [tag.id, tag])))
const names = computed(() => ({ goals: goals.value, triggers: wiring.value?.triggers ?? [] }))
const channelOf = (tag: Tag): string => (tag.does.type === 'channel-event' ? tag.does.channel : '')

/** The page a trigger is about: what its rule asks of the path. */
function pageOf(trigger: Trigger): string {
  const condition = trigger.where.any.flatMap((group) => group.all).find((each) => each.reading === 'path' && !each.not)
  return condition ? String(Array.isArray(condition.value) ? condition.value[0] : condition.value) : ''
}

const rows = computed(() => {
  const { triggers = [], tags = [] } = wiring.value ?? {}
  const wanted = text.value.trim().toLowerCase()
  return triggers
    .map((trigger) => ({
      trigger,
      sentence: triggerSentence(trigger, names.value),
      tags: tags.filter((tag) => tag.triggers.includes(trigger.id)),
      evidence: evidence.value?.triggers.find((each) => each.id === trigger.id),
      page: pageOf(trigger),
    }))
    .filter((row) => !channelFilter.value || row.tags.some((tag) => channelOf(tag) === channelFilter.value))
    .filter((row) => !pageFilter.value || row.evidence?.pages.includes(pageFilter.value) || row.page === pageFilter.value)
    .filter(
      (row) =>
        !wanted ||
        `${plainText(row.sentence)} ${row.trigger.note ?? ''} ${row.tags.map((tag) => `${tag.name} ${tag.note ?? ''}`).join(' ')}`
          .toLowerCase()
          .includes(wanted),
    )
})
type Row = (typeof rows.value)[number]
const groups = computed<{ name: string; rows: Row[] }[]>(() => {
  if (!groupBy.value) return [{ name: '', rows: rows.value }]
  const found = new Map<string, Row[]>()
  for (const row of rows.value) {
    const keys =
      groupBy.value === 'page'
        ? [row.page || 'any page']
        : [...new Set(row.tags.map((tag) => channels.value.find((each) => each.id === channelOf(tag))?.name ?? 'our own'))]
    for (const key of keys.length ? keys : ['nothing yet']) found.set(key, [...(found.get(key) ?? []), row])
  }
  return [...found].sort(([a], [b]) => a.localeCompare(b)).map(([name, each]) => ({ name, rows: each }))
})
const loose = computed(() => (wiring.value?.tags ?? []).filter((tag) => !tag.triggers.length))
const pages = computed(() =>
  [...new Set([...(evidence.value?.triggers.flatMap((each) => each.pages.slice(0, 8)) ?? []), ...(wiring.value?.triggers.map(pageOf) ?? [])])]
    .filter(Boolean)
    .sort(),
)
const changeOf = (id: string): string | undefined => wiring.value?.changes.find((each) => each.id === id)?.change
const currency = computed(() => current.site?.currency ?? 'EUR')
const canEdit = computed(() => current.site?.role !== 'reader')

function firedTitle(tag: Tag): string {
  const entry = fired.value.get(tag.id)
  return `Fired ${times(entry?.fired ?? 0)} in the last 7 days${entry?.failed ? `; ${times(entry.failed)} without a good answer` : ''}`
}

const editTag = (what: string, id: string, edit: (tag: Tag) => Tag): Promise<boolean> =>
  change(what, ({ tags }) => ({ tags: tags.map((tag) => (tag.id === id ? edit(tag) : tag)) }))
const togglePause = (tag: Tag): Promise<boolean> =>
  editTag(`${tag.paused ? 'going on with' : 'pausing'} “${tag.name}”`, tag.id, (each) => ({ ...each, paused: !each.paused }))
const duplicate = (tag: Tag): Promise<boolean> =>
  change(`the copy of “${tag.name}”`, ({ tags }) => ({ tags: [...tags, { ...tag, id: newId(), name: `${tag.name} (copy)`.slice(0, 200), paused: true }] }))

/** Takes a tag from one trigger to another; an empty name stands for no trigger. */
async function move(id: string, from: string, to: string): Promise<void> {
  moving.value = null
  const tag = wiring.value?.tags.find((each) => each.id === id)
  if (!tag || from === to) return
  await editTag(`moving “${tag.name}”`, id, (each) => ({
    ...each,
    triggers: [...new Set([...each.triggers.filter((trigger) => trigger !== from), ...(to ? [to] : [])])],
  }))
}

function dropped(event: DraggableEvent): void {
  void move(event.item.dataset.tag ?? '', event.from.dataset.trigger ?? '', event.to.dataset.trigger ?? '')
}

useKeys({
  n: () => void router.push({ name: 'trigger', params: { key: current.key, id: 'new' } }),
  '$mod+z': () => void undo(),
  '$mod+Shift+z': () => void redo(),
  '$mod+y': () => void redo(),
})
</script>

<template>
  <div class="with-readings">
    <div class="screen">
      <div class="screen-head">
        <h1>Wiring</h1>
        <RouterLink v-if="canEdit" class="button main-action" :to="{ name: 'trigger', params: { key: current.key, id: 'new' } }"
          >New trigger <kbd>n</kbd></RouterLink
        >
      </div>
      <div v-if="wiring?.triggers.length || wiring?.tags.length" class="tools">
        <input v-model="text" type="search" placeholder="Filter" aria-label="Filter the wiring" />
        <select v-if="channels.length" v-model="channelFilter" aria-label="Channel">
          <option value="">All channels</option>
          <option v-for="channel in channels" :key="channel.id" :value="channel.id">{{ channel.name }}</option>
        </select>
        <select v-model="pageFilter" aria-label="Page">
          <option value="">All pages</option>
          <option v-for="page in pages" :key="page" :value="page">{{ page }}</option>
        </select>
        <select v-model="groupBy" aria-label="Group by">
          <option value="">Not grouped</option>
          <option value="channel">By channel</option>
          <option value="page">By page</option>
        </select>
        <span class="grow" />
        <button
          v-if="canEdit"
          :disabled="!history.undoable"
          :title="history.undoable ? `Undo ${history.undoable} (Ctrl Z)` : 'Nothing to undo in this tab'"
          aria-label="Undo"
          @click="undo"
        >
          <Undo2 :size="15" aria-hidden="true" />
        </button>
        <button
          v-if="canEdit"
          :disabled="!history.redoable"
          :title="history.redoable ? `Redo ${history.redoable} (Ctrl Shift Z)` : 'Nothing to redo'"
          aria-label="Redo"
          @click="redo"
        >
          <Redo2 :size="15" aria-hidden="true" />
        </button>
        <RouterLink class="button" :to="{ name: 'wiring-file', params: { key: current.key } }">File …</RouterLink>
      </div>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <p v-if="notice" class="notice" role="status">{{ notice }}</p>
      <div v-if="wiring && !wiring.triggers.length && !wiring.tags.length" class="empty">
        <h2>Nothing fires yet</h2>
        <p>
          First say <em>when</em>: on every page, on a thank-you page, when a form is accepted. Then say what happens <em>then</em>: which channel is told, and
          with which value.
        </p>
        <RouterLink v-if="!channels.length" class="button" :to="{ name: 'channels', params: { key: current.key } }">Connect a channel first</RouterLink>
        <RouterLink class="button main-action" :to="{ name: 'trigger', params: { key: current.key, id: 'new' } }">Make the first trigger</RouterLink>
        <RouterLink class="button" :to="{ name: 'wiring-file', params: { key: current.key } }">Take a wiring from a file</RouterLink>
      </div>
      <table v-else-if="wiring" class="figures ledger">
        <thead>
          <tr>
            <th>When …</th>
            <th title="How often this happened in the last 7 days, by what was recorded">last 7 days</th>
            <th>… then</th>
          </tr>
        </thead>
        <tbody v-for="group in groups" :key="group.name">
          <tr v-if="group.name">
            <th colspan="3" class="group" scope="rowgroup">{{ group.name }}</th>
          </tr>
          <tr v-for="row in group.rows" :key="row.trigger.id">
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
              <VueDraggable
                :model-value="row.tags"
                class="tags"
                group="tags"
                handle=".grip"
                :disabled="!canEdit"
                :animation="0"
                force-fallback
                :data-trigger="row.trigger.id"
                @end="dropped"
              >
                <span v-for="tag in row.tags" :key="tag.id" class="tag" :class="{ paused: tag.paused, differs: changeOf(tag.id) }" :data-tag="tag.id">
                  <button
                    v-if="canEdit"
                    class="small grip"
                    title="Drag to another trigger, or choose one"
                    :aria-label="`Move ${tag.name}`"
                    :aria-expanded="moving?.tag === tag.id && moving.from === row.trigger.id"
                    @click="moving = moving?.tag === tag.id ? null : { tag: tag.id, from: row.trigger.id }"
                  >
                    <GripVertical :size="13" aria-hidden="true" />
                  </button>
                  <RouterLink :to="{ name: 'tag', params: { key: current.key, id: tag.id } }" :title="firedTitle(tag)"
                    >{{ tag.name }}
                    <small>{{ changeOf(tag.id) ? `${changeOf(tag.id)}, ${tagNote(tag, currency, locale)}` : tagNote(tag, currency, locale) }}</small>
                    <small v-if="fired.get(tag.id)?.failed" class="failing" :title="firedTitle(tag)"
                      >! {{ count(fired.get(tag.id)!.failed) }} failed</small
                    ></RouterLink
                  >
                  <span v-if="tag.note" class="note" :title="tag.note"
                    ><StickyNote :size="12" aria-hidden="true" /><span class="visually-hidden">Note: {{ tag.note }}</span></span
                  >
                  <span v-if="canEdit" class="acts">
                    <button
                      class="small"
                      :title="tag.paused ? 'Let it fire again' : 'Pause'"
                      :aria-label="`${tag.paused ? 'Go on with' : 'Pause'} ${tag.name}`"
                      @click="togglePause(tag)"
                    >
                      <component :is="tag.paused ? Play : Pause" :size="13" aria-hidden="true" />
                    </button>
                    <button class="small" title="Duplicate, paused" :aria-label="`Duplicate ${tag.name}`" @click="duplicate(tag)">
                      <Copy :size="13" aria-hidden="true" />
                    </button>
                  </span>
                </span>
              </VueDraggable>
              <label v-if="moving && moving.from === row.trigger.id && row.tags.some((tag) => tag.id === moving!.tag)" class="move"
                >Move to
                <select @change="move(moving!.tag, moving!.from, ($event.target as HTMLSelectElement).value)">
                  <option value="">– choose –</option>
                  <option v-for="each in rows.filter((other) => other.trigger.id !== row.trigger.id)" :key="each.trigger.id" :value="each.trigger.id">
                    {{ plainText(each.sentence) }}
                  </option>
                </select></label
              >
              <RouterLink
                v-if="canEdit"
                class="button quiet add"
                :to="{ name: 'tag', params: { key: current.key, id: 'new' }, query: { trigger: row.trigger.id } }"
                >then …</RouterLink
              >
            </td>
          </tr>
        </tbody>
        <tbody v-if="loose.length">
          <tr>
            <td class="hint">Never: these tags have no trigger</td>
            <td />
            <td>
              <VueDraggable :model-value="loose" class="tags" group="tags" :disabled="!canEdit" :animation="0" force-fallback data-trigger="" @end="dropped">
                <span v-for="tag in loose" :key="tag.id" class="tag paused" :data-tag="tag.id"
                  ><RouterLink :to="{ name: 'tag', params: { key: current.key, id: tag.id } }">{{ tag.name }}</RouterLink></span
                >
              </VueDraggable>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="wiring?.triggers.length && !rows.length" class="hint">No trigger or tag fits this filter.</p>
    </div>
    <ReadingsAside v-if="wiring" :readings="wiring.readings" :describe="(reading) => readingSentence(reading, channels)" :can-edit="canEdit" />
  </div>
</template>

<style scoped>
.with-readings {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 216px;
}
@media (max-width: 1200px) {
  .with-readings {
    grid-template-columns: minmax(0, 1fr);
  }
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 10px;
  align-items: center;
}
.tools select,
.tools input {
  max-width: 150px;
  padding: 4px 8px;
}
.grow {
  flex: 1;
}
.ledger td {
  padding: 11px 8px;
  vertical-align: middle;
}
.group {
  font-weight: 700 !important;
  color: var(--ink) !important;
  padding-top: 18px !important;
}
.when {
  color: var(--ink);
  text-decoration: none;
  font-size: 15px;
  line-height: 1.6;
}
.when:hover {
  color: var(--water);
}
.fired {
  width: 124px;
  white-space: nowrap;
}
.fired > :deep(figure) {
  width: 70px;
  display: inline-block;
  vertical-align: middle;
  margin-right: 8px;
}
.ledger th:first-child {
  width: 40%;
}
.tags {
  display: inline-flex;
  margin-right: 8px;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  min-height: 24px;
  min-width: 90px;
}
.tag {
  display: inline-flex;
  align-items: center;
  border: 1px solid var(--plaster-3);
  border-left: 4px solid var(--water);
  border-radius: 3px;
  background: var(--plaster);
}
.tag {
  position: relative;
}
/* Out of the way until somebody points at the tag or comes to it by keyboard. */
.acts {
  position: absolute;
  right: 0;
  top: 0;
  bottom: 0;
  display: flex;
  opacity: 0;
  background: var(--plaster);
}
.tag:hover .acts,
.tag:focus-within .acts {
  opacity: 1;
}
.tag a {
  padding: 3px 8px 3px 3px;
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
.tag .failing {
  color: var(--loss);
}
.differs {
  background: var(--clay-run);
  border-left-color: var(--clay);
}
.differs small,
.differs .small {
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
  padding: 4px 4px;
  min-width: 24px;
  min-height: 24px;
  justify-content: center;
  color: var(--ink-2);
}
.small:hover {
  color: var(--water);
}
.grip {
  cursor: grab;
}
.note {
  color: var(--ink-2);
  display: inline-flex;
}
.move {
  display: block;
  margin-top: 6px;
}
.move select {
  max-width: 320px;
}
.changed {
  margin-left: 8px;
  font-size: 12px;
  background: var(--clay-run);
  border-radius: 3px;
  padding: 1px 6px;
}
</style>
