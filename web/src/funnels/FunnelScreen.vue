<script setup lang="ts">
import { DIMENSION_WORDS, type Dimension } from '@acequia/core/dimensions/dimensions'
import type { FunnelResult, FunnelVisit, Listing } from '@acequia/core/funnels/FunnelRun'
import { MOST_STEPS, type Funnel, type FunnelStep } from '@acequia/core/funnels/funnelSchema'
import { funnelSentence, stepSentence } from '@acequia/core/sentences/funnelSentence'
import { GripVertical } from 'lucide-vue-next'
import Papa from 'papaparse'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { VueDraggable } from 'vue-draggable-plus'
import { api, ApiProblem, messageOf } from '../app/api'
import { download } from '../app/download'
import { count, rate, timeText } from '../app/formatting'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useKeptDraft } from '../app/useKeptDraft'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import type { Choice } from '../sentences/choice'
import SentenceEditor from '../sentences/SentenceEditor.vue'
import { useCurrentSite } from '../sites/currentSite'
import { funnelFromText, funnelToText, isUnfinished, NEW_FUNNEL, pageStep, spanText, type FunnelAnswer } from './funnelAnswer'
import { savePng, saveSvg } from './savePicture'
import WaterPicture from './WaterPicture.vue'

/** One funnel: the water picture, its numbers, the visits behind them, and its steps, editable in place. */
const SPLITS: Dimension[] = ['device', 'source', 'medium', 'campaign', 'landing', 'country', 'language', 'weekday']
const PICTURES = 3
const route = useRoute()
const router = useRouter()
const current = useCurrentSite()
const range = useRange()
const live = useLive()
const id = route.params.id === 'new' ? null : String(route.params.id)
const { draft, changed, accept, settle, discard } = useKeptDraft<Funnel>(`funnel.${current.key}.${id ?? 'new'}`, NEW_FUNNEL)
const revision = ref<number>()
const ready = ref(!id)
const problem = ref('')
const split = ref<Dimension | ''>((route.query.split as Dimension | undefined) ?? '')
const compare = ref(route.query.compare === 'yes')
const listing = ref<Listing>()
const opened = ref<number>()
const root = ref<HTMLElement>()
const canEdit = computed(() => current.site?.role !== 'reader')
const shared = funnelFromText(route.query.funnel)

/** Keys for rows that are dragged about. */
let lastKey = 0
const keys = new WeakMap<object, number>()
const keyOf = (step: object): number => keys.get(step) ?? (keys.set(step, ++lastKey), lastKey)

function take({ id: _, revision: now, changedAt: __, changedBy: ___, ...funnel }: FunnelAnswer): Funnel {
  revision.value = now
  return funnel
}
if (id) {
  api<FunnelAnswer>('GET', `${current.path}/funnels/${id}`)
    .then((answer) => {
      accept(take(answer))
      if (shared) draft.value = shared
      ready.value = true
    })
    .catch((cause: unknown) => (problem.value = messageOf(cause)))
} else {
  accept(NEW_FUNNEL)
  if (shared) draft.value = shared
  else if (isUnfinished(draft.value)) opened.value = 0
}

/** What is counted, without names, so that typing those asks nothing anew. */
const counting = computed(() => JSON.stringify({ ...draft.value, name: '', note: undefined, steps: draft.value.steps.map((step) => ({ ...step, name: '' })) }))
const unfinished = computed(() => isUnfinished(draft.value))

const run = async (signal: AbortSignal, days: { from: string; to: string }, by: Dimension | ''): Promise<FunnelResult | undefined> =>
  ready.value && !unfinished.value
    ? api<FunnelResult>('POST', `${current.path}/funnels:run`, { ...(JSON.parse(counting.value) as Funnel), ...days, ...(by && { split: by }) }, signal)
    : undefined
const { data, error, loading } = useLoaded(
  async (signal) => {
    const [now, earlier] = await Promise.all([run(signal, range.asked, split.value), compare.value ? run(signal, range.before, '') : undefined])
    return { now, earlier }
  },
  [counting, () => range.query, split, compare, ready, () => Math.floor(live.changes / 5)],
  120,
)
/** Who came back later looks at much more of the log: it is asked for itself, and fills its column when it is there. */
const { data: returned } = useLoaded<FunnelResult | undefined>(
  async (signal) =>
    ready.value && !unfinished.value && draft.value.scope === 'visit'
      ? api('POST', `${current.path}/funnels:run`, { ...(JSON.parse(counting.value) as Funnel), ...range.asked, returns: true }, signal)
      : undefined,
  [counting, () => range.query, ready],
  400,
)
const named = (result: Pick<FunnelResult, 'steps'>): FunnelResult['steps'] =>
  result.steps.map((step, index) => ({ ...step, name: nameOf(draft.value.steps[index], index) }))
const steps = computed(() => (data.value?.now ? named(data.value.now) : []))
const allOf = (list: FunnelResult['steps']): number => Math.max(1, ...list.map((step) => step.entered + step.arrived))
const parts = computed(() => data.value?.now?.split?.slice(0, PICTURES) ?? [])
/** All pictures have the same scale. */
const most = computed(() =>
  parts.value.length
    ? Math.max(...parts.value.map((part) => allOf(part.steps)))
    : Math.max(allOf(steps.value), ...(data.value?.earlier ? [allOf(data.value.earlier.steps)] : [])),
)
/** The step at which the largest share leaves. */
const worst = computed(() => {
  const candidates = steps.value.slice(0, -1).filter((step) => step.entered + step.arrived >= 10)
  return candidates.sort((a, b) => (a.rate ?? 1) - (b.rate ?? 1))[0]
})

function nameOf(step: FunnelStep | undefined, index: number): string {
  if (step?.name) return step.name
  const value = step?.where.any[0]?.all[0]?.value
  return value === undefined || value === '' ? `Step ${index + 1}` : String(Array.isArray(value) ? value[0] : value)
}

const { data: visits } = useLoaded<FunnelVisit[] | undefined>(
  async (signal) =>
    listing.value && !unfinished.value
      ? api('POST', `${current.path}/funnels:visits`, { ...(JSON.parse(counting.value) as Funnel), ...range.asked, listing: listing.value }, signal)
      : undefined,
  [listing, counting, () => range.query],
)
const LISTED: Record<Listing['what'], string> = {
  entered: 'joined at',
  arrived: 'came on to',
  continued: 'went on from',
  left: 'left at',
  completed: 'completed, at',
}

let moving = false
// The address says what is on screen, so that it can be shared.
watch(
  [draft, split, compare],
  () => {
    if (moving) return
    const query = {
      ...(changed.value || !id ? { funnel: funnelToText(draft.value) } : {}),
      ...(split.value && { split: split.value }),
      ...(compare.value && { compare: 'yes' }),
    }
    void router.replace({ query })
  },
  { deep: true },
)

const stepChoices =
  (index: number) =>
  (slot: string): Choice<object>[] => {
    const step = draft.value.steps[index] as FunnelStep
    const kind = step.event === 'page-view' || step.event === 'form-sent' ? step.event : ''
    if (slot === 'kind')
      return [
        { label: 'a page is viewed', chosen: kind === 'page-view', apply: (model) => ({ ...model, event: 'page-view' }) },
        { label: 'a form is sent', chosen: kind === 'form-sent', apply: (model) => ({ ...model, event: 'form-sent', direct: false, where: { any: [] } }) },
        { label: 'an event happens', chosen: !kind, apply: (model) => ({ ...model, event: ' ', direct: false, where: { any: [] } }) },
      ]
    return [false, true].map((direct) => ({
      label: direct ? 'as the very next page' : 'at any time later',
      hint: direct ? 'one try: another page in between loses it' : 'other pages may lie between',
      chosen: step.direct === direct,
      apply: (model) => ({ ...model, direct }),
    }))
  }
const wholeChoices = (slot: string): Choice<object>[] =>
  slot === 'scope'
    ? [
        { label: 'each visit', hint: 'all steps in one visit', chosen: draft.value.scope === 'visit', apply: (model) => ({ ...model, scope: 'visit' }) },
        {
          label: 'each visitor',
          hint: 'over several visits, for so many days',
          chosen: draft.value.scope !== 'visit',
          apply: (model) => ({ ...model, scope: { visitorDays: 14 } }),
        },
      ]
    : [
        { label: 'the first step', hint: 'nobody joins later', chosen: draft.value.entry === 'first', apply: (model) => ({ ...model, entry: 'first' }) },
        { label: 'any step', hint: 'some come in at a later one', chosen: draft.value.entry === 'any', apply: (model) => ({ ...model, entry: 'any' }) },
      ]

function changeStep(index: number, step: FunnelStep): void {
  draft.value = { ...draft.value, steps: draft.value.steps.map((each, at) => (at === index ? step : each)) }
}
/** Puts the steps into another order. What was the very next page of something else is so no longer. */
function reorder(list: FunnelStep[]): void {
  draft.value = { ...draft.value, steps: list.map((step, index) => (index === 0 && step.direct ? { ...step, direct: false } : step)) }
}
function move(index: number, by: number): void {
  const list = [...draft.value.steps]
  const [step] = list.splice(index, 1)
  if (!step || index + by < 0 || index + by > list.length) return
  list.splice(index + by, 0, step)
  reorder(list)
  void nextTick(() => document.querySelectorAll<HTMLElement>('.grip')[index + by]?.focus())
}
function addStep(): void {
  draft.value = { ...draft.value, steps: [...draft.value.steps, pageStep('', '')] }
  opened.value = draft.value.steps.length - 1
}
function removeStep(index: number): void {
  reorder(draft.value.steps.filter((_, at) => at !== index))
  opened.value = undefined
}

async function save(): Promise<void> {
  problem.value = ''
  if (unfinished.value) return void (problem.value = 'A step does not say yet what it asks for: choose what stands at the yellow “…”.')
  if (!draft.value.name.trim()) return void (problem.value = 'Give the funnel a name, so that colleagues find it.')
  try {
    const answer = id
      ? await api<FunnelAnswer>('PUT', `${current.path}/funnels/${id}`, { ...draft.value, revision: revision.value })
      : await api<FunnelAnswer>('POST', `${current.path}/funnels`, draft.value)
    // The address is about to be another one.
    moving = true
    settle(take(answer))
    await router.replace({ name: 'funnel', params: { key: current.key, id: answer.id }, query: {} })
    moving = false
  } catch (cause) {
    problem.value = messageOf(cause)
    if (cause instanceof ApiProblem && cause.status === 409) revision.value = (cause.body.current as FunnelAnswer).revision
  }
}
async function remove(): Promise<void> {
  try {
    await api('DELETE', `${current.path}/funnels/${id}`)
  } catch (cause) {
    problem.value = messageOf(cause)
    return
  }
  moving = true
  settle(NEW_FUNNEL)
  await router.push({ name: 'funnels', params: { key: current.key } })
}

const fileName = computed(() => draft.value.name || 'funnel')
const firstPicture = (): SVGSVGElement | null | undefined => root.value?.querySelector<SVGSVGElement>('.water svg')
function saveCsv(): void {
  const lines = steps.value.map((step) => ({
    step: step.name,
    joined: step.entered,
    'came on': step.arrived,
    'went on': step.continued,
    left: step.left,
    rate: step.rate,
    'median seconds to next': step.medianSeconds,
    'came back later': returned.value?.steps[steps.value.indexOf(step)]?.cameBack ?? null,
    'left to': step.leftTo.map(({ path, count: n }) => `${path ?? 'left the site'} ${n}`).join('; '),
  }))
  download(Papa.unparse(lines, { escapeFormulae: true }), `${fileName.value}.csv`, 'text/csv')
}

useKeys({ '$mod+s': () => void save(), n: () => canEdit.value && draft.value.steps.length < MOST_STEPS && addStep() })
</script>

<template>
  <div ref="root" class="screen">
    <div class="screen-head">
      <label class="title name"
        ><span class="visually-hidden">Name of the funnel</span
        ><input v-model="draft.name" placeholder="Name of the funnel" maxlength="200" :readonly="!canEdit"
      /></label>
      <span v-if="changed" class="unsaved">not saved</span>
      <button v-if="changed && id" @click="discard">Give up changes</button>
      <button v-if="canEdit" class="main-action" :disabled="!changed && !!id" @click="save">Save <kbd>Ctrl S</kbd></button>
    </div>
    <p v-if="problem || error" class="problem" role="alert">{{ problem || error }}</p>
    <SentenceEditor
      v-if="ready"
      class="whole"
      :parts="funnelSentence(draft)"
      :model="draft"
      :choices-for="wholeChoices"
      :currency="current.site?.currency ?? 'EUR'"
      :readonly="!canEdit"
      @change="draft = $event as Funnel"
    />
    <div class="tools no-print">
      <label
        >Side by side
        <select v-model="split">
          <option value="">no</option>
          <option v-for="each in SPLITS" :key="each" :value="each">by {{ DIMENSION_WORDS[each] }}</option>
        </select></label
      >
      <label class="check"><input v-model="compare" type="checkbox" /> against the {{ range.length }} days before</label>
      <span class="grow" />
      <span v-if="loading" class="hint" role="status">counting …</span>
      <button :disabled="!steps.length" @click="saveCsv">CSV</button>
      <button :disabled="!steps.length" @click="firstPicture() && savePng(firstPicture()!, fileName)">PNG</button>
      <button :disabled="!steps.length" @click="firstPicture() && saveSvg(firstPicture()!, fileName)">SVG</button>
    </div>

    <p v-if="unfinished" class="empty">Say what the steps ask for; the picture is drawn from everything recorded in these {{ range.length }} days.</p>
    <template v-else-if="data?.now">
      <template v-if="split">
        <section v-for="part in parts" :key="String(part.key)">
          <h2>{{ DIMENSION_WORDS[split] }}: {{ part.key ?? 'not known' }}</h2>
          <WaterPicture
            :steps="named(part)"
            :most="most"
            :name="`${fileName}, ${part.key}`"
            @leak="(step, to) => (listing = { step, what: 'left', ...(to !== undefined && { to }) })"
          />
        </section>
      </template>
      <template v-else>
        <h2 v-if="data.earlier">These {{ range.length }} days</h2>
        <WaterPicture :steps="steps" :most="most" :name="fileName" @leak="(step, to) => (listing = { step, what: 'left', ...(to !== undefined && { to }) })" />
        <template v-if="data.earlier">
          <h2>The {{ range.length }} days before, on the same scale</h2>
          <WaterPicture :steps="named(data.earlier)" :most="most" :name="`${fileName}, before`" />
        </template>
      </template>
    </template>

    <table class="figures">
      <thead>
        <tr>
          <th>Step</th>
          <th class="number" title="Visits that began the funnel here">Joined</th>
          <th class="number" title="Came from the step before">Came on</th>
          <th class="number" title="Went on to the next step">Went on</th>
          <th class="number" title="Joined and came on, but did not go on">Left</th>
          <th class="number" title="Went on, of all who were there">Rate</th>
          <th class="number" title="Half of those who went on took at most so long">Time to next</th>
          <th class="number" title="Left in this visit, and met all missing steps in later ones, within 30 days">Came back</th>
          <th v-if="canEdit"><span class="visually-hidden">Change</span></th>
        </tr>
      </thead>
      <VueDraggable
        tag="tbody"
        :model-value="draft.steps"
        handle=".grip"
        :animation="120"
        :disabled="!canEdit"
        @update:model-value="reorder($event as FunnelStep[])"
      >
        <tr v-for="(step, index) in draft.steps" :key="keyOf(step)">
          <td>
            <div class="step">
              <button
                v-if="canEdit"
                class="grip"
                :aria-label="`Move ${nameOf(step, index)}; arrow keys move it up and down`"
                @keydown.up.prevent="move(index, -1)"
                @keydown.down.prevent="move(index, 1)"
              >
                <GripVertical :size="14" aria-hidden="true" />
              </button>
              <strong>{{ index + 1 }} {{ nameOf(step, index) }}</strong>
            </div>
          </td>
          <template v-if="steps[index]">
            <td v-for="what in ['entered', 'arrived', 'continued', 'left'] as const" :key="what" class="number">
              <button
                v-if="steps[index]![what]"
                class="quiet"
                :title="`See the visits that ${LISTED[what]} this step`"
                :aria-pressed="listing?.step === index && listing.what === what"
                @click="listing = { step: index, what }"
              >
                {{ count(steps[index]![what]) }}
              </button>
              <template v-else>–</template>
            </td>
            <td class="number">
              <template v-if="index < steps.length - 1">{{ rate(steps[index]!.rate) }}</template>
              <template v-else
                ><button class="quiet" title="See the visits that completed" @click="listing = { step: index, what: 'completed' }">
                  {{ rate(data!.now!.completionRate) }}
                </button>
                of all</template
              >
            </td>
            <td class="number">{{ spanText(steps[index]!.medianSeconds) }}</td>
            <td class="number">{{ returned?.steps[index]?.cameBack ? count(returned.steps[index]!.cameBack!) : '–' }}</td>
          </template>
          <td v-else colspan="7" />
          <td v-if="canEdit" class="number">
            <button class="quiet" :aria-expanded="opened === index" @click="opened = opened === index ? undefined : index">
              {{ opened === index ? 'Close' : 'Change' }}
            </button>
          </td>
        </tr>
      </VueDraggable>
    </table>
    <div v-if="opened !== undefined && draft.steps[opened]" class="editing">
      <label
        >Step {{ opened + 1 }}
        <input
          :value="draft.steps[opened]!.name"
          maxlength="200"
          :placeholder="nameOf({ ...draft.steps[opened]!, name: '' }, opened)"
          aria-label="Name of the step"
          @input="changeStep(opened!, { ...draft.steps[opened!]!, name: ($event.target as HTMLInputElement).value })"
      /></label>
      <SentenceEditor
        :key="opened"
        :parts="stepSentence(draft.steps[opened]!, opened)"
        :model="draft.steps[opened]!"
        :choices-for="stepChoices(opened)"
        :event="draft.steps[opened]!.event"
        :currency="current.site?.currency ?? 'EUR'"
        @change="changeStep(opened!, $event as FunnelStep)"
      />
      <button v-if="draft.steps.length > 1" class="quiet danger" @click="removeStep(opened)">Remove this step</button>
    </div>
    <p v-if="canEdit">
      <button v-if="draft.steps.length < MOST_STEPS" @click="addStep">Add a step <kbd>n</kbd></button>
    </p>
    <p v-if="worst" class="hint">
      The largest leak for its size: <strong>{{ worst.name }}</strong>. {{ rate(1 - (worst.rate ?? 0)) }} of those who are there leave.
      <button class="quiet" @click="split = 'device'">Compare devices</button>
    </p>

    <table v-if="split && data?.now?.split" class="figures split">
      <thead>
        <tr>
          <th>{{ DIMENSION_WORDS[split] }}</th>
          <th class="number">Began</th>
          <th v-for="(step, index) in steps.slice(0, -1)" :key="index" class="number" :title="`Went on from ${step.name}`">{{ step.name }}</th>
          <th class="number">Completed</th>
          <th class="number">Of all</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in data.now.split" :key="String(part.key)">
          <td>{{ part.key ?? 'not known' }}</td>
          <td class="number">{{ count(part.began) }}</td>
          <td v-for="(step, index) in part.steps.slice(0, -1)" :key="index" class="number">{{ rate(step.rate) }}</td>
          <td class="number">{{ count(part.completed) }}</td>
          <td class="number">
            {{ rate(part.completionRate) }}
          </td>
        </tr>
      </tbody>
    </table>

    <section v-if="listing" class="visits" aria-label="Visits behind the number">
      <h2>
        Visits that {{ LISTED[listing.what] }} {{ nameOf(draft.steps[listing.step], listing.step)
        }}<template v-if="listing.to !== undefined"> and {{ listing.to === null ? 'left the site' : `went to ${listing.to}` }}</template>
        <button class="quiet" @click="listing = undefined">Close</button>
      </h2>
      <table v-if="visits?.length" class="figures">
        <thead>
          <tr>
            <th>When</th>
            <th>Began on</th>
            <th>Source</th>
            <th>Got to</th>
            <th>Then</th>
            <th>Visitor</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="visit in visits.slice(0, 50)" :key="visit.visitor + visit.at">
            <td>{{ timeText(visit.at, current.site?.timeZone ?? 'UTC') }}</td>
            <td>
              <code>{{ visit.path }}</code>
            </td>
            <td>{{ visit.source }} / {{ visit.medium }}</td>
            <td>{{ nameOf(draft.steps[visit.last], visit.last) }}</td>
            <td>{{ visit.last === draft.steps.length - 1 ? 'completed' : (visit.leftTo ?? 'left the site') }}</td>
            <td>
              <RouterLink class="mono" :to="{ name: 'visitor', params: { key: current.key, visitor: visit.visitor } }">{{
                visit.visitor.slice(0, 8)
              }}</RouterLink>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else class="hint">{{ visits ? 'None in these days.' : 'Looking …' }}</p>
      <p v-if="(visits?.length ?? 0) > 50" class="hint">The latest 50 of {{ count(visits!.length) }}{{ visits!.length === 200 ? ' or more' : '' }}.</p>
    </section>
    <details v-if="id && canEdit" class="remove">
      <summary>Remove this funnel</summary>
      <button class="danger" @click="remove">Remove “{{ draft.name }}”</button>
    </details>
  </div>
</template>

<style scoped>
.title {
  flex: 1;
}
.title input {
  font: 600 26px/1.2 var(--display);
  border-color: transparent;
  padding: 2px 8px;
  margin-left: -9px;
  width: 100%;
}
.title input:hover,
.title input:focus {
  border-color: var(--plaster-3);
}
.unsaved {
  color: var(--ochre);
}
.whole {
  font-size: 14px;
  line-height: 30px;
  max-width: none;
}
.whole :deep(.chip) {
  font-size: 14px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
  margin: 8px 0 18px;
}
.tools select {
  padding: 4px 8px;
}
.check {
  display: flex;
  gap: 6px;
  align-items: center;
}
.grow {
  flex: 1;
}
.figures {
  width: 100%;
  margin-top: 14px;
}
.step {
  display: flex;
  gap: 6px;
  align-items: center;
  overflow-wrap: anywhere;
}
.grip {
  border-color: transparent;
  padding: 4px;
  cursor: grab;
  color: var(--ink-2);
}
.editing {
  border-left: 3px solid var(--water);
  padding: 10px 16px;
  margin: 10px 0;
}
.quiet[aria-pressed='true'] {
  color: var(--water);
  font-weight: 700;
}
.visits h2 {
  margin-top: 22px;
}
.remove {
  margin-top: 26px;
  color: var(--ink-2);
}
summary {
  cursor: pointer;
}
</style>
