<script setup lang="ts">
import type { GoalSuggestion } from '@acequia/core/goals/GoalSuggestions'
import { CATEGORIES, type Goal } from '@acequia/core/goals/goalSchema'
import { ruleIs } from '@acequia/core/rules/ruleIs'
import { includePath, newCondition } from '@acequia/core/sentences/editRule'
import { goalSentence } from '@acequia/core/sentences/goalSentence'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ApiProblem, messageOf } from '../app/api'
import { count, locale } from '../app/formatting'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useKeptDraft } from '../app/useKeptDraft'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import type { Choice } from '../sentences/choice'
import SentenceEditor from '../sentences/SentenceEditor.vue'
import { useCurrentSite } from '../sites/currentSite'
import { NEW_GOAL, type BacktestAnswer, type GoalAnswer } from './goalAnswer'
import { goalChoices } from './goalChoices'
import GoalEvidence from './GoalEvidence.vue'
import { goalProblem, isUnfinishedGoal } from './goalProblem'

/** A goal as one sentence, with what recorded traffic says about it beside it. */
const route = useRoute()
const router = useRouter()
const current = useCurrentSite()
const range = useRange()
const live = useLive()
const id = typeof route.params.id === 'string' ? route.params.id : null
const { draft, changed, accept, settle, discard } = useKeptDraft<Goal>(`goal.${current.key}.${id ?? 'new'}`, NEW_GOAL)
const revision = ref<number>()
const ready = ref(!id)
const problem = ref('')
const conflict = ref<GoalAnswer>()
/** A page or event that was asked for while something else is still unsaved here. */
const offered = ref('')
const saving = ref(false)
const sentence = ref<InstanceType<typeof SentenceEditor>>()

const currency = computed(() => current.site?.currency ?? 'EUR')
const canEdit = computed(() => current.site?.role !== 'reader')
const parts = computed(() => goalSentence(draft.value, currency.value, locale))
const unready = computed(() => goalProblem(draft.value))
const event = computed(() => (draft.value.kind.type === 'event' ? draft.value.kind.event : 'page-view'))
const choicesFor = (slot: string): Choice<object>[] => goalChoices(draft.value, slot) as Choice<object>[]
const newStep = (): object => ({ name: 'Step', where: { any: [{ all: [newCondition()] }] }, required: true })

/** What counts, without name and notes, so that typing those asks nothing anew. */
const counting = computed(() => {
  const { kind, count: rule, value, path } = draft.value
  return JSON.stringify({ kind, count: rule, value, path: path.map((step, index) => ({ ...step, name: `Step ${index + 1}` })) })
})

const evidence = useLoaded<BacktestAnswer | undefined>(
  async (signal) =>
    ready.value && !isUnfinishedGoal(draft.value)
      ? api<BacktestAnswer>(
          'POST',
          `${current.path}/goals:backtest`,
          { goal: JSON.parse(counting.value) as object, ...(id && { except: id }), ...range.asked },
          signal,
        )
      : undefined,
  [counting, () => range.query, ready],
  250,
)
/** What the goal counts as it is saved, beside what it would count as it stands here. */
const savedEvidence = useLoaded<BacktestAnswer | undefined>(
  async (signal) => (id && changed.value ? api<BacktestAnswer>('POST', `${current.path}/goals:backtest`, { goal: id, ...range.asked }, signal) : undefined),
  [() => range.query, changed],
)
const { data: suggestions } = useLoaded<GoalSuggestion[] | undefined>(
  async (signal) => (id ? undefined : api('GET', `${current.path}/goals:suggest?${range.query}`, undefined, signal)),
  [() => range.query],
)
function begin(suggestion: GoalSuggestion): void {
  draft.value = { ...suggestion.goal, name: draft.value.name || suggestion.goal.name }
}
useLoaded(async () => (live.changes ? evidence.reload() : undefined), [() => Math.floor(live.changes / 3)], 2000)

function take(answer: GoalAnswer): Goal {
  const { id: _, revision: current_, createdAt: __, changedAt: ___, archivedAt: _____, recount: ____, ...goal } = answer
  revision.value = current_
  return goal
}

if (id) {
  api<GoalAnswer>('GET', `${current.path}/goals/${id}`)
    .then((answer) => {
      accept(take(answer))
      ready.value = true
    })
    .catch((error: unknown) => (problem.value = messageOf(error)))
} else {
  beginNew()
  // Something else may be chosen in the search while this screen is open.
  watch(() => route.query, beginNew)
}

/** A new goal as the address names it: an event or a page to count. */
function named(): Goal {
  const { event: ofEvent, path, name } = route.query
  const kind =
    typeof ofEvent === 'string'
      ? {
          kind: { type: 'event' as const, event: ofEvent, where: { any: [] } },
          count: 'every' as const,
          value: { type: 'reading' as const, reading: 'value', fallback: 0 },
        }
      : typeof path === 'string'
        ? { kind: { type: 'page' as const, where: ruleIs('path', path) } }
        : {}
  return { ...NEW_GOAL, ...kind, name: typeof name === 'string' ? name : '' }
}

/** Begins with what the address names. What was begun before and not saved is not lost for it: then it is offered. */
function beginNew(): void {
  if (!changed.value) accept(named())
  const { event: ofEvent, path } = route.query
  const [wanted] = [path, ofEvent].filter((each) => typeof each === 'string')
  offered.value = changed.value && wanted ? wanted : ''
  // The one thing that every new goal lacks is asked for at once.
  if (!offered.value) void nextTick(() => sentence.value?.openFirstUnset())
}

function takeOffered(): void {
  settle(named())
  offered.value = ''
}

async function save(): Promise<void> {
  if (unready.value) return void (problem.value = unready.value)
  saving.value = true
  problem.value = ''
  try {
    // Steps are named after what they ask for, so that funnels and reasons can speak of them.
    const goal = { ...draft.value, path: draft.value.path.map((step) => ({ ...step, name: stepName(step) })) }
    const answer = id
      ? await api<GoalAnswer>('PUT', `${current.path}/goals/${id}`, { ...goal, revision: revision.value })
      : await api<GoalAnswer>('POST', `${current.path}/goals`, goal)
    settle(take(answer))
    void current.refreshProgress()
    await router.push({ name: 'goal', params: { key: current.key, id: answer.id } })
  } catch (error) {
    problem.value = messageOf(error)
    if (error instanceof ApiProblem && error.status === 409) conflict.value = error.body.current as GoalAnswer
  } finally {
    saving.value = false
  }
}

function stepName(step: Goal['path'][number]): string {
  const value = step.where.any[0]?.all[0]?.value
  return step.name !== 'Step' ? step.name : String(value ?? 'Any page').slice(0, 200)
}

function include(path: string): void {
  const { kind } = draft.value
  if ('where' in kind) draft.value = { ...draft.value, kind: { ...kind, where: includePath(kind.where, path) } }
}

function overwrite(): void {
  revision.value = conflict.value?.revision
  conflict.value = undefined
  void save()
}

function takeTheirs(): void {
  if (conflict.value) settle(take(conflict.value))
  conflict.value = undefined
  problem.value = ''
}

/** What the first filter lets through, by the kind of goal. */
const KIND_BARS: Record<Goal['kind']['type'], string> = {
  page: 'page reached',
  event: 'event happened',
  time: 'stayed as long',
  depth: 'pages seen',
  return: 'came back',
}
const bars = computed(() => {
  const result = evidence.data.value
  if (!result) return []
  const most = Math.max(1, result.parts.kind)
  const rows = [
    { label: KIND_BARS[draft.value.kind.type], value: result.parts.kind },
    ...(draft.value.path.some((step) => step.required) ? [{ label: 'after the required pages', value: result.parts.path }] : []),
    { label: parts.value.find((part) => part.type === 'chip' && part.slot === 'count')?.text ?? '', value: result.parts.count },
  ]
  return rows.map((row) => ({ ...row, share: row.value / most }))
})

useKeys({ '$mod+s': () => void save(), '$mod+Enter': () => void save() })
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <label v-if="ready" class="name">
        <span class="visually-hidden">Name of the goal</span>
        <input v-model="draft.name" placeholder="Name of the goal" maxlength="200" :readonly="!canEdit" />
      </label>
      <p class="hint about">
        <label>For <input v-model="draft.category" list="categories" class="category" maxlength="60" aria-label="Category" /></label>
        <datalist id="categories"><option v-for="each in CATEGORIES" :key="each" :value="each" /></datalist>
        <span v-if="changed" class="unsaved">· not saved yet; kept in this tab</span>
      </p>
      <p v-if="offered" class="notice" role="status">
        What you began before is still here, not saved.
        <button @click="takeOffered">
          Count <span class="mono">{{ offered }}</span> instead
        </button>
        <button @click="offered = ''">Go on with it</button>
      </p>
      <div v-if="problem" class="problem" role="alert">
        <p>{{ problem }}</p>
        <template v-if="conflict">
          <button @click="takeTheirs">Take their version</button>
          <button @click="overwrite">Save mine over it</button>
        </template>
      </div>

      <SentenceEditor
        v-if="ready"
        ref="sentence"
        :parts="parts"
        :model="draft"
        :choices-for="choicesFor"
        :event="event"
        :currency="currency"
        :new-step="newStep"
        :readonly="!canEdit"
        @change="draft = $event as Goal"
      />

      <section v-if="bars.length" class="parts">
        <h2>What is left after each part of the sentence, {{ range.length }} days</h2>
        <div v-for="row in bars" :key="row.label" class="part">
          <span>{{ row.label }}</span>
          <span class="track"><span class="fill" :style="{ width: `${row.share * 100}%` }" /></span>
          <strong>{{ count(row.value) }}</strong>
        </div>
      </section>

      <label class="field note">Note for colleagues<textarea v-model="draft.note" rows="2" maxlength="5000" :readonly="!canEdit" /></label>

      <div v-if="canEdit" class="actions">
        <button class="main-action" :disabled="saving || !ready" :title="unready ?? ''" @click="save">
          {{ saving ? 'Saving …' : id ? 'Save and recount' : 'Save and count' }}
        </button>
        <button v-if="changed" @click="discard">Give up changes</button>
        <RouterLink class="button" :to="id ? { name: 'goal', params: { key: current.key, id } } : { name: 'goals', params: { key: current.key } }"
          >Back</RouterLink
        >
        <span class="grow" />
        <span class="keys"><kbd>Ctrl</kbd> <kbd>S</kbd></span>
      </div>
      <p v-else class="hint">You can look, but not change: your role on this site is reader.</p>
    </div>
    <aside class="evidence" aria-label="Evidence">
      <section v-if="!id && suggestions?.length && isUnfinishedGoal(draft)" class="suggestions">
        <h2>What your site suggests</h2>
        <ul>
          <li v-for="each in suggestions" :key="each.why">
            <div>
              <strong>Someone {{ each.purpose }}</strong>
              <p class="hint">{{ each.why }}</p>
            </div>
            <button @click="begin(each)">Begin with it</button>
          </li>
        </ul>
      </section>
      <GoalEvidence
        :result="evidence.data.value"
        :loading="evidence.loading.value"
        :error="evidence.error.value"
        :saved="changed ? savedEvidence.data.value : undefined"
        :same-as="evidence.data.value?.sameAs"
        :unfinished="isUnfinishedGoal(draft)"
        counts="conversions"
        @include="include"
      />
    </aside>
  </div>
</template>

<style scoped>
.name input {
  font: 600 26px/1.2 var(--display);
  border-color: transparent;
  padding: 2px 8px;
  margin-left: -9px;
  width: 100%;
  max-width: 620px;
}
.name input:hover,
.name input:focus {
  border-color: var(--plaster-3);
}
.about {
  margin-bottom: 18px;
}
.category {
  padding: 2px 8px;
  width: 120px;
}
.unsaved {
  color: var(--ochre);
}
.parts {
  margin: 34px 0 26px;
  max-width: 700px;
}
.part {
  display: grid;
  grid-template-columns: 200px 1fr 64px;
  gap: 12px;
  align-items: center;
  padding: 6px 0;
  border-bottom: 1px solid var(--plaster-3);
}
.track {
  background: var(--plaster-3);
  height: 13px;
  border-radius: 2px;
}
.fill {
  display: block;
  height: 13px;
  border-radius: 2px;
  background: var(--water-2);
}
.part strong {
  text-align: right;
}
.note {
  max-width: 700px;
}
.actions {
  display: flex;
  gap: 10px;
  align-items: center;
  max-width: 700px;
}
.grow {
  flex: 1;
}
.suggestions ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
.suggestions li {
  display: flex;
  gap: 10px;
  justify-content: space-between;
  align-items: flex-start;
  border-bottom: 1px solid var(--plaster-3);
  padding: 8px 0;
}
.suggestions p {
  margin: 0;
  overflow-wrap: anywhere;
}
.problem button {
  margin-right: 8px;
}
.notice {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
</style>
