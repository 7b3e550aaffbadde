<script setup lang="ts">
import { plainText } from '@acequia/core/sentences/Part'
import { triggerSentence } from '@acequia/core/sentences/triggerSentence'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { api, messageOf } from '../app/api'
import { count, dayText, times, timeText } from '../app/formatting'
import { useRange } from '../app/range'
import { useCurrentSite } from '../sites/currentSite'
import { dryRun, type DryRunAnswer } from './dryRun'
import { useWiring } from './useWiring'

/** The draft over recorded events: what each tag would have fired, against what the live release fires. */
const current = useCurrentSite()
const range = useRange()
const { wiring, goals, problem } = useWiring()
const result = ref<DryRunAnswer>()
const share = ref<number | null>(null)
const onlyChanged = ref(false)
const opened = ref<string | null>(null)
const liveNames = ref<Record<string, string>>({})
let running: AbortController | undefined

async function run(): Promise<void> {
  running?.abort()
  const mine = (running = new AbortController())
  problem.value = ''
  share.value = 0
  try {
    const answer = await dryRun(current.path, range.asked, (done) => (share.value = done), mine.signal)
    if (mine.signal.aborted) return
    result.value = answer
    if (answer.live !== null) {
      const { tags } = await api<{ tags: { id: string; name: string }[] }>('GET', `${current.path}/releases/${answer.live}`)
      liveNames.value = Object.fromEntries(tags.map((tag) => [tag.id, tag.name]))
    }
  } catch (error) {
    if (!mine.signal.aborted) problem.value = messageOf(error)
  } finally {
    if (running === mine) share.value = null
  }
}

function cancel(): void {
  running?.abort()
  share.value = null
}

const names = computed(() => ({ goals: goals.value, triggers: wiring.value?.triggers ?? [] }))
const rows = computed(() =>
  (result.value?.tags ?? [])
    .map((tag) => {
      const draft = wiring.value?.tags.find((each) => each.id === tag.id)
      const most = Math.max(1, ...tag.daily.flatMap((day) => [day.now, day.draft]))
      const unjudged = (draft?.triggers ?? []).flatMap((id) => result.value?.unjudged.find((each) => each.trigger === id) ?? [])
      return {
        ...tag,
        name: draft?.name ?? liveNames.value[tag.id] ?? tag.id,
        gone: !draft || draft.paused,
        most,
        unjudged,
        changed: tag.now !== tag.draft || tag.newVisits > 0 || tag.lostVisits > 0,
      }
    })
    .filter((row) => !onlyChanged.value || row.changed || row.unjudged.length)
    .sort((a, b) => Number(b.changed) - Number(a.changed) || b.draft - a.draft),
)
const unjudged = computed(() =>
  (result.value?.unjudged ?? []).map(({ trigger, why }) => {
    const found = wiring.value?.triggers.find((each) => each.id === trigger)
    return { trigger, why, words: found ? plainText(triggerSentence(found, names.value)) : trigger }
  }),
)

watch(() => range.query, run, { immediate: true })
onBeforeUnmount(() => running?.abort())
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Dry run</h1>
      <label class="check"><input v-model="onlyChanged" type="checkbox" /> only what changes</label>
      <button v-if="share !== null" @click="cancel">Cancel</button>
      <button v-else @click="run">Run again</button>
      <RouterLink v-if="current.progress?.draftDiffers" class="button goes-live" :to="{ name: 'new-release', params: { key: current.key } }"
        >Release …</RouterLink
      >
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <p v-if="share !== null" role="status"><progress :value="share" max="1" aria-label="How far the dry run has come" /> {{ Math.round(share * 100) }} %</p>
    <template v-if="result">
      <p class="hint" role="status">
        The draft over {{ count(result.events) }} events of {{ count(result.visits) }} visits, {{ dayText(range.first) }} to {{ dayText(range.last) }}.
        Everybody is taken to have agreed, and every channel to answer.
      </p>
      <div v-if="!result.tags.length" class="empty">
        <h2>There is no tag to try</h2>
        <p>A dry run says what the tags of the draft would have fired. Make a trigger and a tag first.</p>
        <RouterLink class="button main-action" :to="{ name: 'wiring', params: { key: current.key } }">To the wiring</RouterLink>
      </div>
      <p v-else-if="!rows.length" class="hint">Nothing changes: every tag fires as it does with what is live.</p>
      <table v-else class="figures">
        <thead>
          <tr>
            <th>Tag</th>
            <th>per day, <span class="key-now">live</span> and <span class="key-draft">draft</span></th>
            <th class="number" title="Times it fires with the live release">Live</th>
            <th class="number" title="Times it would fire with the draft">Draft</th>
            <th class="number" title="Visits in which it fires only with the draft">New visits</th>
            <th class="number" title="Visits in which it fires only with the live release">Lost visits</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="row in rows" :key="row.id">
            <tr :class="{ changed: row.changed }">
              <td>
                <RouterLink v-if="!row.gone" :to="{ name: 'tag', params: { key: current.key, id: row.id } }">{{ row.name }}</RouterLink>
                <span v-else>{{ row.name }} <small class="hint">not in the draft, or paused</small></span>
                <p v-for="warning in row.warnings" :key="warning" class="warning">{{ row.unjudged.length ? '' : `! ${warning}` }}</p>
                <p v-for="each in row.unjudged" :key="each.trigger" class="hint">cannot be judged: {{ each.why }}</p>
              </td>
              <td>
                <svg
                  class="bars"
                  width="100%"
                  height="34"
                  role="img"
                  :aria-label="`${times(row.now)} with the live release, ${count(row.draft)} with the draft`"
                >
                  <g v-for="(day, index) in row.daily" :key="day.day">
                    <title>{{ dayText(day.day) }}: {{ count(day.now) }} live, {{ count(day.draft) }} with the draft</title>
                    <rect
                      class="now"
                      :x="`${(index / row.daily.length) * 100}%`"
                      :width="`${42 / row.daily.length}%`"
                      :y="33 - (day.now / row.most) * 32"
                      :height="(day.now / row.most) * 32 + 1"
                    />
                    <rect
                      class="draft"
                      :x="`${((index + 0.45) / row.daily.length) * 100}%`"
                      :width="`${42 / row.daily.length}%`"
                      :y="33 - (day.draft / row.most) * 32"
                      :height="(day.draft / row.most) * 32 + 1"
                    />
                  </g>
                </svg>
              </td>
              <td class="number">{{ count(row.now) }}</td>
              <td class="number">
                <strong>{{ count(row.draft) }}</strong>
              </td>
              <td class="number">
                <button v-if="row.newVisits" class="quiet" :aria-expanded="opened === row.id" @click="opened = opened === row.id ? null : row.id">
                  {{ count(row.newVisits) }}</button><template v-else>–</template>
              </td>
              <td class="number">
                <button v-if="row.lostVisits" class="quiet" :aria-expanded="opened === row.id" @click="opened = opened === row.id ? null : row.id">
                  {{ count(row.lostVisits) }}</button><template v-else>–</template>
              </td>
            </tr>
            <tr v-if="opened === row.id">
              <td colspan="6">
                <ul class="examples">
                  <li v-for="example in row.examples" :key="example.at + example.visitor">
                    {{ example.change === 'new' ? 'only with the draft' : 'only with what is live' }}:
                    {{ timeText(example.at, current.site?.timeZone ?? 'UTC') }}, <code>{{ example.path }}</code>
                    <span class="hint">visitor {{ example.visitor.slice(0, 8) }}</span>
                  </li>
                </ul>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
      <section v-if="unjudged.length" class="unjudged">
        <h2>What recorded events cannot tell</h2>
        <ul>
          <li v-for="each in unjudged" :key="each.trigger">{{ each.words }}: {{ each.why }}.</li>
        </ul>
      </section>
    </template>
  </div>
</template>

<style scoped>
.check {
  display: flex;
  gap: 6px;
  align-items: center;
}
progress {
  accent-color: var(--water);
  width: 260px;
  vertical-align: middle;
}
td {
  vertical-align: middle !important;
}
td:nth-child(2) {
  width: 38%;
}
.now {
  fill: var(--ink-3);
}
.draft {
  fill: var(--water-2);
}
.key-now {
  border-bottom: 3px solid var(--ink-3);
}
.key-draft {
  border-bottom: 3px solid var(--water-2);
}
.changed td:first-child {
  border-left: 4px solid var(--clay);
}
.warning {
  color: var(--ochre);
  margin: 0;
  font-size: 12.5px;
}
.hint {
  margin: 0;
}
.examples {
  margin: 0;
  padding-left: 18px;
}
.unjudged {
  margin-top: 24px;
}
</style>
