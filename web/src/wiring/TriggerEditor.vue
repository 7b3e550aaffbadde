<script setup lang="ts">
import type { BacktestResult } from '@acequia/core/goals/Backtest'
import { includePath } from '@acequia/core/sentences/editRule'
import { triggerSentence } from '@acequia/core/sentences/triggerSentence'
import { eventNameOf, momentReadings } from '@acequia/core/wiring/momentEvent'
import type { Trigger } from '@acequia/core/wiring/wiringSchema'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../app/api'
import { useRange } from '../app/range'
import { useKeptDraft } from '../app/useKeptDraft'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import GoalEvidence from '../goals/GoalEvidence.vue'
import { isUnfinished, neverHolds } from '../goals/goalProblem'
import { provideOwnReadings } from '../readings/ownReadings'
import SentenceEditor from '../sentences/SentenceEditor.vue'
import { useCurrentSite } from '../sites/currentSite'
import { momentChoices, momentProblem } from './momentChoices'
import { newId, useWiring } from './useWiring'

/** A trigger as one sentence, with how often it happened beside it. */
const NEW_TRIGGER: Trigger = { id: '', moment: { type: 'page-view' }, where: { any: [] } }

const route = useRoute()
const router = useRouter()
const current = useCurrentSite()
const range = useRange()
const isNew = route.params.id === 'new'
const id = isNew ? newId() : String(route.params.id)
const { wiring, goals, problem, change } = useWiring()
const { draft, changed, accept, settle } = useKeptDraft<Trigger>(`trigger.${current.key}.${isNew ? 'new' : id}`, NEW_TRIGGER)
const saving = ref(false)
const missing = computed(() => !isNew && wiring.value && !wiring.value.triggers.some((each) => each.id === id))
const usedBy = computed(() => (wiring.value?.tags ?? []).filter((tag) => tag.triggers.includes(id)))
const neededBy = computed(() => (wiring.value?.triggers ?? []).filter(({ moment }) => moment.type === 'all' && moment.triggers.includes(id)))
const canEdit = computed(() => current.site?.role !== 'reader')
provideOwnReadings(computed(() => wiring.value?.readings.map((each) => each.name) ?? []))

const stop = watch(wiring, (loaded) => {
  if (!loaded) return
  accept(loaded.triggers.find((each) => each.id === id) ?? NEW_TRIGGER)
  stop()
})

const parts = computed(() => triggerSentence(draft.value, { goals: goals.value, triggers: wiring.value?.triggers ?? [] }))
/** Moments that loaders only listen for once a release with this trigger is live. */
const fromNowOn = computed(() => !['page-view', 'form-sent', 'signal', 'goal'].includes(draft.value.moment.type))
const unready = computed(() => {
  const { moment, where, except } = draft.value
  const lacking = momentProblem(moment)
  if (lacking) return lacking
  if (isUnfinished(where) || (except && isUnfinished(except))) return 'Choose what stands at the yellow “…” in the sentence.'
  return neverHolds([where, ...(except ? [except] : [])])
})

const context = computed(() => ({ goals: goals.value, relays: wiring.value?.relays ?? [], triggers: wiring.value?.triggers ?? [] }))

const evidence = useLoaded<BacktestResult | undefined>(
  async (signal) => {
    const { moment, where, except } = draft.value
    return unready.value ? undefined : api('POST', `${current.path}/wiring:test`, { trigger: { id, moment, where, except }, ...range.asked }, signal)
  },
  [() => JSON.stringify([draft.value.moment, draft.value.where, draft.value.except]), () => range.query],
  250,
)

async function save(): Promise<void> {
  problem.value = unready.value ?? ''
  if (problem.value || saving.value) return
  saving.value = true
  const { except, ...rest } = draft.value
  const trigger = { ...rest, ...(except?.any.length && { except }), id }
  const saved = await change(isNew ? 'the new trigger' : 'the change of a trigger', (before) => ({
    triggers: before.triggers.some((each) => each.id === id) ? before.triggers.map((each) => (each.id === id ? trigger : each)) : [...before.triggers, trigger],
  }))
  saving.value = false
  if (!saved) return
  settle(trigger)
  await router.push(isNew ? { name: 'tag', params: { key: current.key, id: 'new' }, query: { trigger: id } } : { name: 'wiring', params: { key: current.key } })
}

async function remove(): Promise<void> {
  const removed = await change('the removal of a trigger', (before) => ({
    triggers: before.triggers.filter((each) => each.id !== id),
    tags: before.tags.map((tag) => ({ ...tag, triggers: tag.triggers.filter((each) => each !== id) })),
  }))
  if (removed) await router.push({ name: 'wiring', params: { key: current.key } })
}

useKeys({ '$mod+s': () => void save(), '$mod+Enter': () => void save() })
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <div class="screen-head">
        <h1>{{ isNew ? 'New trigger' : 'Trigger' }}</h1>
      </div>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div v-if="missing" class="empty">
        <h2>This trigger is no longer in the draft</h2>
        <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">To the wiring</RouterLink>
      </div>
      <template v-else-if="wiring">
        <SentenceEditor
          :parts="parts"
          :model="draft"
          :choices-for="(chip: string) => momentChoices(draft, chip, context)"
          :readings="momentReadings(draft.moment.type)"
          :event="draft.moment.type === 'goal' ? undefined : eventNameOf(draft.moment)"
          :currency="current.site?.currency ?? 'EUR'"
          :readonly="!canEdit"
          @change="draft = $event as Trigger"
        />
        <p v-if="draft.moment.type === 'goal' && !goals.length" class="hint">
          There is no goal yet. <RouterLink :to="{ name: 'new-goal', params: { key: current.key } }">Make one first</RouterLink>
        </p>
        <p v-if="draft.moment.type === 'relay' && !wiring.relays.length" class="hint">
          There is no relay link yet. <RouterLink :to="{ name: 'relays', params: { key: current.key } }">Make one first</RouterLink>
        </p>
        <p v-if="changed" class="unsaved">Not saved yet; kept in this tab.</p>
        <label class="field note">Note for colleagues<textarea v-model="draft.note" rows="2" maxlength="5000" :readonly="!canEdit" /></label>
        <div class="actions">
          <button v-if="canEdit" class="main-action" :disabled="saving" :title="unready ?? ''" @click="save">
            {{ isNew ? 'Save, and say what then' : 'Save in the draft' }}
          </button>
          <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">Back</RouterLink>
          <kbd>Ctrl S</kbd>
        </div>
        <details v-if="!isNew && canEdit" class="remove">
          <summary>Remove this trigger</summary>
          <p class="hint">
            {{ usedBy.length ? `These tags lose it: ${usedBy.map((tag) => tag.name).join(', ')}.` : 'No tag uses it.' }} Pages change only with the next
            release.
          </p>
          <p v-if="neededBy.length" class="hint">Another trigger waits for this one among several; change that one first.</p>
          <button v-else class="danger" @click="remove">Remove the trigger</button>
        </details>
      </template>
    </div>
    <aside class="evidence" aria-label="Evidence">
      <GoalEvidence
        :result="evidence.data.value"
        :loading="evidence.loading.value"
        :error="unready ? '' : evidence.error.value"
        :unfinished="!!unready"
        counts="times"
        :from-now-on="fromNowOn"
        @include="draft = { ...draft, where: includePath(draft.where, $event) }"
      />
    </aside>
  </div>
</template>

<style scoped>
.note {
  max-width: 640px;
  margin-top: 30px;
}
.actions {
  display: flex;
  gap: 10px;
  align-items: center;
}
.unsaved {
  color: var(--ochre);
  font-size: 12.5px;
}
.remove {
  margin-top: 30px;
  color: var(--ink-2);
}
</style>
