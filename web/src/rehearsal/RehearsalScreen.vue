<script setup lang="ts">
import { EVENT_READINGS, readEvent } from '@acequia/core/readings/readEvent'
import { rehearsalGrid, type RehearsalReport } from '@acequia/core/rehearsal/rehearsalGrid'
import { plainText } from '@acequia/core/sentences/Part'
import { readingWords } from '@acequia/core/sentences/ruleSentence'
import { triggerSentence } from '@acequia/core/sentences/triggerSentence'
import { HOLD_WORDS } from '@acequia/core/wiring/summarizeVisit'
import { suggestTriggers, triggerLike, type SuggestedTrigger } from '@acequia/core/rehearsal/suggestTriggers'
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, messageOf } from '../app/api'
import { ElSwitch } from '../app/elementPlus'
import { download } from '../app/download'
import { agoText, timeText } from '../app/formatting'
import { useKeys } from '../app/useKeys'
import { useProbe } from '../probes/useProbe'
import { useCurrentSite } from '../sites/currentSite'
import { newId, useWiring } from '../wiring/useWiring'
import { useLoaded } from '../app/useLoaded'

/** The draft on one's own browser: which tag fired at which moment, which was held, and why. */
const PATIENCE_MS = 8000
const MOST_MOMENTS = 40
const current = useCurrentSite()
const route = useRoute()
/** One that was kept, or that somebody else watches: it can only be looked at. */
const keptId = Number(route.params.id) || 0
const SESSION = `acequia.rehearsal.${current.key}`
const { wiring, goals, problem: draftProblem, change } = useWiring()
const { id, reports, running, problem, begunAt, known, begin, watch: follow, hold, end } = useProbe(true)
const before = keptId || Number(sessionStorage.getItem(SESSION))
if (before) follow(before)
watch(id, (now) => {
  if (now && !keptId) sessionStorage.setItem(SESSION, String(now))
})
const address = ref(sessionStorage.getItem(`acequia.rehearsedAt.${current.key}`) ?? '/')
const holdBack = ref(true)
const chosen = ref<{ tag: string; uid: string } | null>(null)
const now = ref(Date.now())
const clock = setInterval(() => (now.value = Date.now()), 1000)
onBeforeUnmount(() => clearInterval(clock))
const canRehearse = computed(() => current.site?.role !== 'reader' && !keptId)
/** A kept one is judged by the draft as it was then. */
const judged = computed(() => (keptId ? (known.value?.wiring ?? wiring.value) : wiring.value))
const told = computed(() => reports.value as unknown as RehearsalReport[])
const grid = computed(() => (judged.value ? rehearsalGrid(told.value, judged.value) : { moments: [], rows: [] }))
/** What tags record is no signal of the site's. */
const ownEvents = computed(() => (wiring.value?.tags ?? []).flatMap(({ does }) => (does.type === 'own-event' ? [does.name] : [])))
const suggested = computed(() =>
  canRehearse.value ? suggestTriggers(told.value, ownEvents.value).map((each) => ({ ...each, trigger: triggerLike(wiring.value?.triggers ?? [], each) })) : [],
)
const first = computed(() => Math.max(0, grid.value.moments.length - MOST_MOMENTS))
const moments = computed(() => grid.value.moments.slice(first.value))
const ran = computed(() => reports.value.some((report) => report.kind === 'ran'))
const silent = computed(() => running.value && !ran.value && now.value - begunAt.value > PATIENCE_MS)
const names = computed(() => ({ goals: goals.value, triggers: judged.value?.triggers ?? [] }))
const moment = computed(() => grid.value.moments.find((each) => each.uid === chosen.value?.uid))
const row = computed(() => grid.value.rows.find((each) => each.tag.id === chosen.value?.tag))
const cell = computed(() => (row.value && moment.value ? row.value.cells[grid.value.moments.indexOf(moment.value)] : null))
const readings = computed(() => {
  const here = moment.value
  if (!here) return []
  const read = readEvent(here.event, here.source)
  const before = grid.value.moments[grid.value.moments.indexOf(here) - 1]
  const readBefore = before ? readEvent(before.event, before.source) : () => undefined
  const known = [...EVENT_READINGS, ...Object.keys(here.event.data ?? {}).map((name) => (name.startsWith('own.') ? name : `data.${name}`))]
  return known.flatMap((name) => {
    const text = read(name)
    return text === undefined ? [] : [{ name, text, fresh: readBefore(name) !== text }]
  })
})
const wordsOf = (event: { name: string; url: string }): string => {
  const url = URL.canParse(event.url) ? new URL(event.url) : null
  return url ? url.pathname : event.url
}
const clockOf = (at: string): string => timeText(at, current.site?.timeZone ?? 'UTC', { timeStyle: 'medium' })

async function rehearse(): Promise<void> {
  if (!canRehearse.value) return
  chosen.value = null
  sessionStorage.setItem(`acequia.rehearsedAt.${current.key}`, address.value)
  await begin('rehearsal', address.value, holdBack.value)
}

function turnHold(back: boolean): void {
  holdBack.value = back
  void hold(back)
}

function save(): void {
  const file = { acequiaRehearsal: 1, site: current.site?.name, at: new Date(begunAt.value).toISOString(), moments: grid.value.moments, rows: grid.value.rows }
  download(JSON.stringify(file, null, 2), `rehearsal-${current.key}.json`, 'application/json')
}

// What happens now stands at the right end.
const scroller = ref<HTMLElement>()
watch(
  () => grid.value.moments.length,
  async () => {
    await nextTick()
    scroller.value?.scrollTo({ left: scroller.value.scrollWidth })
  },
)

/** What was found when the page does not answer. */
const tried = ref<{ tried: string; found: string; suspicious: boolean }[]>()
watch(silent, async (is) => {
  tried.value = undefined
  if (is && canRehearse.value)
    tried.value = await api<NonNullable<typeof tried.value>>('GET', `${current.path}/probes/${id.value}:silence`).catch(() => undefined)
})

/** Makes a trigger of something that just happened; the grid shows at once where it would have fired its tags. */
async function makeTrigger({ moment: listens, where }: SuggestedTrigger): Promise<void> {
  const trigger = { id: newId(), moment: listens, where }
  await change('a trigger of what happened', (draft) => ({ triggers: [...draft.triggers, trigger] }))
}

const keepName = ref('')
const shared = ref('')
const { data: keptOnes, reload: reloadKept } = useLoaded<{ id: number; name: string; address: string; begunBy: string; begunAt: string }[]>((signal) =>
  api('GET', `${current.path}/probes`, undefined, signal),
)

/** Keeps the rehearsal with the draft as it is now, and gives the link under which it can be looked at. */
async function share(): Promise<void> {
  try {
    await api('PUT', `${current.path}/probes/${id.value}:keep`, { name: keepName.value || `Rehearsal of ${known.value?.address ?? address.value}` })
    shared.value = `${location.origin}/s/${current.key}/rehearsal/${id.value}`
    // Some browsers ask the person first; nothing waits for that.
    void navigator.clipboard?.writeText(shared.value).catch(() => undefined)
    await reloadKept()
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

async function letGo(which: number): Promise<void> {
  await api('PUT', `${current.path}/probes/${which}:keep`, { name: '' }).catch((cause: unknown) => (problem.value = messageOf(cause)))
  await reloadKept()
}

useKeys({ '$mod+Enter': () => void rehearse() })
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <div class="screen-head">
        <h1>{{ known?.name ?? 'Rehearsal' }}</h1>
        <form v-if="canRehearse && reports.length" class="share" @submit.prevent="share">
          <input v-model.trim="keepName" maxlength="200" placeholder="Name, to keep it" aria-label="Name to keep the rehearsal under" />
          <button>Keep and share</button>
        </form>
        <button v-if="reports.length" @click="save">Save as JSON</button>
      </div>
      <p v-if="shared" class="hint" role="status">
        Kept. Everybody who may see this site can look at it under <code>{{ shared }}</code> (copied).
      </p>
      <p v-if="keptId" class="hint">
        {{ known ? `${known.begunBy} began it ${agoText(known.begunAt)} on ${known.address}.` : '' }} You can look, not change it.
        <RouterLink :to="{ name: 'rehearsal', params: { key: current.key } }">Rehearse yourself</RouterLink>
      </p>
      <form v-if="canRehearse" class="begin" @submit.prevent="rehearse">
        <label>Open <input v-model="address" class="mono" maxlength="2000" aria-label="Page to begin on" /></label>
        <label class="hold"
          ><ElSwitch :model-value="holdBack" aria-label="Hold back: nothing leaves to channels" @update:model-value="turnHold(Boolean($event))" /> hold back:
          nothing leaves to channels</label
        >
        <button class="main-action">{{ running ? 'Begin again' : 'Rehearse' }} <kbd>Ctrl ↵</kbd></button>
        <button v-if="running" type="button" @click="end">End</button>
      </form>
      <p v-else-if="!keptId" class="hint">You can look, but not rehearse: your role on this site is reader.</p>
      <p v-if="problem || draftProblem" class="problem" role="alert">{{ problem || draftProblem }}</p>
      <div v-if="!reports.length && !running" class="empty">
        <h2>Do on your site what a customer does</h2>
        <p>
          Your site opens in a new tab and runs the draft, for this browser only. Nothing you do there counts. Here you see which tag fires at which moment, and
          which does not, and why.
        </p>
      </div>
      <div v-else-if="silent" class="problem" role="status">
        <p>The page has not answered. Is it open in the other tab?</p>
        <ul v-if="tried">
          <li v-for="each in tried" :key="each.tried">
            {{ each.tried }}: <strong v-if="each.suspicious">{{ each.found }}</strong><template v-else>{{ each.found }}</template>
          </li>
        </ul>
        <p v-else>Looking for the reason …</p>
      </div>
      <p v-else-if="!ran" class="hint" role="status">Waiting for the page in the other tab …</p>
      <div v-if="grid.moments.length" ref="scroller" class="scroll" tabindex="0" role="region" aria-label="Rehearsal grid">
        <table>
          <thead>
            <tr>
              <th class="corner"><span class="drop" aria-hidden="true" /> fired <span class="ring" aria-hidden="true" /> held</th>
              <th v-for="each in moments" :key="each.uid" class="moment" scope="col" :title="`${each.event.name}, ${each.event.url}, ${clockOf(each.at)}`">
                <span>{{ each.event.name }}</span><code>{{ wordsOf(each.event) }}</code>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="line in grid.rows" :key="line.tag.id">
              <th scope="row" class="tag">{{ line.tag.name }}<small v-if="line.tag.paused"> paused</small></th>
              <td v-for="(each, index) in line.cells.slice(first)" :key="moments[index]!.uid">
                <button
                  v-if="each"
                  class="cell"
                  :class="{ chosen: chosen?.tag === line.tag.id && chosen.uid === moments[index]!.uid, failed: each.worked === false || each.errors.length }"
                  :aria-label="`${line.tag.name}: ${each.state === 'fired' ? 'fired' : 'held'} at ${moments[index]!.event.name}, ${wordsOf(moments[index]!.event)}${each.anew ? ', by the draft of now' : ''}`"
                  @click="chosen = { tag: line.tag.id, uid: moments[index]!.uid }"
                >
                  <span :class="[each.state === 'fired' ? 'drop' : 'ring', { anew: each.anew }]" aria-hidden="true" /><span
                    v-if="each.worked === false || each.errors.length"
                    aria-hidden="true"
                    >!</span
                  >
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <section v-if="!reports.length && keptOnes?.length" class="made-of">
        <h2>Kept rehearsals</h2>
        <ul>
          <li v-for="each in keptOnes" :key="each.id">
            <RouterLink class="happened" :to="{ name: 'kept-rehearsal', params: { key: current.key, id: each.id } }">{{ each.name }}</RouterLink>
            <span class="hint">{{ each.begunBy }}, {{ agoText(each.begunAt) }}</span>
            <button v-if="canRehearse" class="quiet" @click="letGo(each.id)">Let go</button>
          </li>
        </ul>
      </section>
      <p v-if="first" class="hint">The last {{ MOST_MOMENTS }} of {{ grid.moments.length }} moments; all are in the saved file.</p>
    </div>
    <aside class="evidence" aria-label="Reason">
      <template v-if="cell && row && moment">
        <section>
          <h2>{{ row.tag.name }}</h2>
          <p>
            <strong>{{ cell.state === 'fired' ? 'Fired' : 'Held' }}</strong> at {{ moment.event.name }}, <code>{{ wordsOf(moment.event) }}</code><template
              v-if="cell.reason"
              >: {{ cell.reason === 'rule' ? 'no trigger’s rule held' : HOLD_WORDS[cell.reason] }}</template
            >.
          </p>
          <p v-if="cell.anew" class="hint">
            The draft has changed since. Its rules were judged anew on what was read then; limits, order and consent were not, and nothing was sent. The next
            page runs it as it is now.
          </p>
          <div v-for="each in cell.triggers" :key="each.trigger.id" class="why">
            <p class="hint">{{ plainText(triggerSentence(each.trigger, names)) }}</p>
            <ul v-for="(group, index) in each.conditions" :key="index">
              <li v-for="condition in group" :key="condition.words" :class="condition.holds ? 'held-true' : 'held-false'">
                {{ condition.holds ? '✓' : '✗' }} {{ condition.words }}; it was <code>{{ condition.found ?? 'absent' }}</code>
              </li>
            </ul>
            <p v-if="!each.conditions.length" class="held-true">✓ every {{ moment.event.name }}</p>
            <p v-if="each.excepted" class="held-false">✗ the exception held</p>
          </div>
        </section>
        <section v-if="cell.sent.length">
          <h2>{{ holdBack ? 'Would have been sent' : 'What was sent' }}</h2>
          <p v-for="each in cell.sent" :key="each.address + each.body" class="sent">
            <code>{{ each.address }}</code> <code v-if="each.body">{{ each.body }}</code>
          </p>
          <p v-if="cell.worked !== null" class="hint">{{ cell.worked ? 'It was answered, or held back.' : 'There was no good answer.' }}</p>
        </section>
        <p v-for="error in cell.errors" :key="error" class="problem">{{ error }}</p>
        <section>
          <h2>What could be read</h2>
          <dl>
            <template v-for="each in readings" :key="each.name">
              <dt>{{ readingWords(each.name) }}<strong v-if="each.fresh" title="Not so at the moment before"> ·</strong></dt>
              <dd>
                <code>{{ each.text }}</code>
              </dd>
            </template>
          </dl>
        </section>
      </template>
      <p v-else class="hint">Choose a drop or a ring to see why: every condition, with what was read.</p>
      <section v-if="suggested.length" class="made-of">
        <h2>Make a trigger of what just happened</h2>
        <ul>
          <li v-for="each in suggested" :key="each.at + each.happened">
            <span class="happened"
              >{{ each.happened }} <code>{{ each.path }}</code></span
            >
            <template v-if="each.trigger">
              <span class="hint">{{
                grid.rows
                  .filter((line) => line.tag.triggers.includes(each.trigger!.id))
                  .map((line) => line.tag.name)
                  .join(', ') || 'a trigger, fires nothing yet'
              }}</span>
              <RouterLink :to="{ name: 'tag', params: { key: current.key, id: 'new' }, query: { trigger: each.trigger.id } }">New tag for it</RouterLink>
            </template>
            <button v-else @click="makeTrigger(each)">Make a trigger</button>
          </li>
        </ul>
      </section>
    </aside>
  </div>
</template>

<style scoped>
.begin {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  align-items: center;
  margin-bottom: 16px;
}
.begin input {
  width: 220px;
}
.hold {
  display: flex;
  gap: 8px;
  align-items: center;
}
.scroll {
  overflow-x: auto;
}
table {
  border-collapse: separate;
  border-spacing: 0;
}
th,
td {
  border-bottom: 1px solid var(--plaster-3);
  padding: 2px 6px;
  height: 29px;
}
.corner {
  text-align: left;
  font-weight: 400;
  font-size: 12px;
  color: var(--ink-2);
  white-space: nowrap;
  vertical-align: bottom;
}
.moment {
  font-weight: 500;
  font-size: 12px;
  text-align: left;
  max-width: 92px;
  vertical-align: bottom;
}
.moment span,
.moment code {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.moment code {
  color: var(--ink-2);
  font-size: 11px;
}
.tag {
  text-align: left;
  font-weight: 600;
  white-space: nowrap;
  position: sticky;
  left: 0;
  background: var(--plaster);
}
.tag small {
  font-weight: 400;
  color: var(--ink-2);
}
.cell {
  border-color: transparent;
  min-width: 30px;
  min-height: 24px;
  padding: 2px 8px;
  justify-content: center;
}
.cell.chosen {
  border-color: var(--water);
}
.failed {
  color: var(--loss);
}
.drop {
  display: inline-block;
  width: 13px;
  height: 13px;
  background: var(--water);
  border-radius: 0 50% 50% 50%;
  transform: rotate(45deg);
}
.ring {
  display: inline-block;
  width: 13px;
  height: 13px;
  border: 2px solid var(--ink-3);
  border-radius: 50%;
}
.anew {
  opacity: 0.55;
}
.share {
  display: flex;
  gap: 8px;
  margin-left: auto;
}
.made-of ul {
  list-style: none;
  padding: 0;
  margin: 0 0 16px;
}
.made-of {
  margin-top: 18px;
}
.made-of li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
  border-top: 1px solid var(--plaster-3);
  padding: 5px 0;
}
.happened {
  flex: 1 1 180px;
  min-width: 0;
  overflow-wrap: anywhere;
}
.why ul {
  list-style: none;
  padding: 0;
  margin: 0 0 6px;
}
.held-true {
  color: var(--water);
}
.held-false {
  color: var(--loss);
}
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 3px 12px;
}
dt {
  color: var(--ink-2);
}
dd {
  margin: 0;
}
code {
  overflow-wrap: anywhere;
}
</style>
