<script setup lang="ts">
import type { BacktestResult } from '@acequia/core/goals/Backtest'
import { CATEGORIES } from '@acequia/core/goals/goalSchema'
import { eventForCategory, type Recipe } from '@acequia/core/recipes/recipeSchema'
import { actionWords, tagAction, tagValueWords } from '@acequia/core/sentences/tagSentence'
import { triggerSentence } from '@acequia/core/sentences/triggerSentence'
import { text } from '@acequia/core/sentences/Part'
import { tagSchema, type Tag, type TagAction as Action, type TagValue } from '@acequia/core/wiring/tagSchema'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../app/api'
import { count, locale } from '../app/formatting'
import { useRange } from '../app/range'
import { useKeptDraft } from '../app/useKeptDraft'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import { provideOwnReadings } from '../readings/ownReadings'
import type { Choice } from '../sentences/choice'
import SentenceEditor from '../sentences/SentenceEditor.vue'
import SentenceText from '../sentences/SentenceText.vue'
import { useCurrentSite } from '../sites/currentSite'
import { stepsSent } from './stepsSent'
import TagAction from './TagAction.vue'
import TagOptions from './TagOptions.vue'
import { newId, useWiring } from './useWiring'

/** What happens when a trigger fires: a channel is told, an event recorded, something sent or run. */
const VALUES: TagValue[] = [{ type: 'none' }, { type: 'fixed', amount: 1 }, { type: 'reading', reading: 'value' }]
const CHANNEL_EVENT: Action = { type: 'channel-event', channel: '', call: 'event', value: { type: 'none' }, order: 'order', extra: [] }
const ACTIONS: Action[] = [
  CHANNEL_EVENT,
  { type: 'own-event', name: '', value: { type: 'none' }, data: [] },
  { type: 'image', address: '' },
  { type: 'request', address: '', method: 'POST' },
  { type: 'script', code: '' },
  { type: 'html', html: '' },
]
const NEW_TAG: Tag = { id: '', name: '', triggers: [], paused: false, limit: 'every', does: CHANNEL_EVENT }

const route = useRoute()
const router = useRouter()
const current = useCurrentSite()
const range = useRange()
const isNew = route.params.id === 'new'
const id = isNew ? newId() : String(route.params.id)
const { wiring, channels, goals, problem, change } = useWiring()
const { draft, changed, accept, settle } = useKeptDraft<Tag>(`tag.${current.key}.${isNew ? `new.${String(route.query.trigger ?? '')}` : id}`, NEW_TAG)
const ready = ref(false)
const saving = ref(false)
const bodyProblem = ref('')
const { data: recipes } = useLoaded<Recipe[]>((signal) => api('GET', `${current.path}/recipes`, undefined, signal))
const missing = computed(() => !isNew && wiring.value && !wiring.value.tags.some((each) => each.id === id))
const canEdit = computed(() => current.site?.role !== 'reader')
const currency = computed(() => current.site?.currency ?? 'EUR')
const channel = computed(() => {
  const { does } = draft.value
  return does.type === 'channel-event' ? channels.value.find((each) => each.id === does.channel) : undefined
})
const recipe = computed(() => recipes.value?.find((each) => each.id === channel.value?.recipe))
const chosenTriggers = computed(() => (wiring.value?.triggers ?? []).filter((each) => draft.value.triggers.includes(each.id)))
const names = computed(() => ({ goals: goals.value, triggers: wiring.value?.triggers ?? [] }))
provideOwnReadings(computed(() => wiring.value?.readings.map((each) => each.name) ?? []))

const stop = watch(wiring, (loaded) => {
  if (!loaded) return
  const trigger = typeof route.query.trigger === 'string' ? route.query.trigger : undefined
  const [only] = channels.value
  accept(
    loaded.tags.find((each) => each.id === id) ?? {
      ...NEW_TAG,
      triggers: trigger ? [trigger] : [],
      does: channels.value.length ? { ...CHANNEL_EVENT, channel: channels.value.length === 1 && only ? only.id : '' } : (ACTIONS[1] as Action),
    },
  )
  ready.value = true
  stop()
})

const parts = computed(() => [text('Then'), ...tagAction(draft.value, channels.value, currency.value, locale), text('.')])
const does =
  (part: object) =>
  (model: object): object => ({ ...model, does: { ...(model as Tag).does, ...part } })

function choicesFor(chip: string): Choice<object>[] {
  const now = draft.value.does
  if (chip === 'does.type') {
    return ACTIONS.map((action) => ({
      label: actionWords(action.type),
      ...(action.type === 'channel-event' && !channels.value.length && { hint: 'none is connected yet' }),
      chosen: action.type === now.type,
      apply: (model) => (action.type === now.type ? model : { ...model, does: action }),
    }))
  }
  if (chip === 'does.method')
    return ['GET', 'POST', 'PUT'].map((method) => ({ label: method, chosen: now.type === 'request' && now.method === method, apply: does({ method }) }))
  if (chip === 'does.value' && (now.type === 'channel-event' || now.type === 'own-event'))
    return VALUES.map((value) => ({ label: tagValueWords(value), chosen: now.value.type === value.type, apply: does({ value }) }))
  if (now.type !== 'channel-event') return []
  if (chip === 'does.channel')
    return channels.value.map((each) => ({ label: each.name, chosen: each.id === now.channel, apply: does({ channel: each.id, event: undefined }) }))
  if (chip === 'does.call') {
    const calls = recipe.value?.calls ?? { base: {}, event: {} }
    return (['base', 'event'] as const)
      .filter((call) => calls[call])
      .map((call) => ({
        label: call === 'base' ? 'that the page was viewed' : 'about an event',
        hint: call === 'base' ? 'the base pixel; once, on every page' : '',
        chosen: now.call === call,
        apply: does({ call }),
      }))
  }
  return []
}

/** Our categories for which the channel has a name of its own. */
const categories = computed(() => CATEGORIES.filter((category) => recipe.value && eventForCategory(recipe.value, category)))

const unready = computed(() => {
  const { name, does: what } = draft.value
  if (what.type === 'channel-event') {
    if (!what.channel) return 'Choose the channel that is told.'
    if (what.call === 'event' && recipe.value?.calls.event?.needs.includes('event') && !what.event && !eventForCategory(recipe.value, what.category))
      return 'Say which event the channel is told about.'
  }
  if (bodyProblem.value && what.type === 'request') return bodyProblem.value
  if (!name.trim()) return 'Give the tag a name.'
  const checked = tagSchema.safeParse({ ...draft.value, id })
  return checked.success ? null : (checked.error.issues[0]?.message ?? 'Something is not filled in right.')
})

const { data: evidence } = useLoaded<(BacktestResult & { id: string })[]>(
  async (signal) =>
    Promise.all(
      chosenTriggers.value.map(async (trigger) => ({
        id: trigger.id,
        ...(await api<BacktestResult>('POST', `${current.path}/wiring:test`, { trigger, ...range.asked }, signal)),
      })),
    ),
  [() => draft.value.triggers.join(), () => wiring.value?.revision, () => range.query],
  100,
)

/** What would be sent, with an example of what would be filled in. */
const sent = computed(() => stepsSent(draft.value.does, channel.value, recipe.value, evidence.value?.[0]?.examples[0], currency.value))

function toggleTrigger(trigger: string): void {
  const { triggers } = draft.value
  draft.value = { ...draft.value, triggers: triggers.includes(trigger) ? triggers.filter((each) => each !== trigger) : [...triggers, trigger] }
}

async function goToLongText(chip: string): Promise<void> {
  await nextTick()
  const place = document.querySelector<HTMLElement>(`[data-long="${chip}"]`)
  ;(place?.shadowRoot?.querySelector<HTMLElement>('.cm-content') ?? place)?.focus()
}

async function save(): Promise<void> {
  problem.value = unready.value ?? ''
  if (problem.value || saving.value) return
  saving.value = true
  const tag = { ...draft.value, id }
  const saved = await change(isNew ? `the new tag “${tag.name}”` : `the change of “${tag.name}”`, (before) => ({
    tags: before.tags.some((each) => each.id === id) ? before.tags.map((each) => (each.id === id ? tag : each)) : [...before.tags, tag],
  }))
  saving.value = false
  if (!saved) return
  settle(tag)
  await router.push({ name: 'wiring', params: { key: current.key } })
}

async function remove(): Promise<void> {
  const edit = (before: { tags: Tag[] }): { tags: Tag[] } => ({
    tags: before.tags.filter((each) => each.id !== id).map((each) => (each.after?.tag === id ? { ...each, after: undefined } : each)),
  })
  if (await change(`the removal of “${draft.value.name}”`, edit)) await router.push({ name: 'wiring', params: { key: current.key } })
}

useKeys({ '$mod+s': () => void save(), '$mod+Enter': () => void save() })
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <label v-if="ready" class="name"
        ><span class="visually-hidden">Name of the tag</span><input v-model="draft.name" placeholder="Name of the tag" maxlength="200" :readonly="!canEdit"
      /></label>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div v-if="missing" class="empty">
        <h2>This tag is no longer in the draft</h2>
        <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">To the wiring</RouterLink>
      </div>
      <template v-else-if="wiring && ready">
        <fieldset class="triggers">
          <legend>When any of these happens …</legend>
          <label v-for="trigger in wiring.triggers" :key="trigger.id"
            ><input type="checkbox" :checked="draft.triggers.includes(trigger.id)" :disabled="!canEdit" @change="toggleTrigger(trigger.id)" /><SentenceText
              :parts="triggerSentence(trigger, names)"
          /></label>
          <p v-if="!wiring.triggers.length" class="hint">
            There is no trigger yet. <RouterLink :to="{ name: 'trigger', params: { key: current.key, id: 'new' } }">Make one first</RouterLink>
          </p>
          <p v-else-if="!draft.triggers.length" class="hint">Without a trigger this tag never fires.</p>
        </fieldset>
        <SentenceEditor
          :parts="parts"
          :model="draft"
          :choices-for="choicesFor"
          :event="undefined"
          :currency="currency"
          :readonly="!canEdit"
          @change="draft = $event as Tag"
          @long-text="goToLongText"
        />
        <p v-if="draft.does.type === 'channel-event' && !channels.length" class="hint">
          There is no channel to tell yet. <RouterLink :to="{ name: 'channels', params: { key: current.key } }">Connect one</RouterLink>, or choose something
          else that happens.
        </p>
        <label v-if="draft.does.type === 'channel-event' && draft.does.call === 'event' && categories.length && canEdit" class="category"
          >or, in our words:
          <select
            :value="draft.does.event ? '' : (draft.does.category ?? '')"
            @change="draft = does({ category: ($event.target as HTMLSelectElement).value || undefined, event: undefined })(draft) as Tag"
          >
            <option value="">–</option>
            <option v-for="each in categories" :key="each" :value="each">{{ each }} → {{ eventForCategory(recipe!, each) }}</option>
          </select></label
        >
        <TagAction
          :model-value="draft.does"
          :channel="channel"
          :recipe="recipe"
          :triggers="chosenTriggers"
          :disabled="!canEdit"
          @update:model-value="draft = { ...draft, does: $event }"
          @problem="bodyProblem = $event"
        />
        <TagOptions :model-value="draft" :tags="wiring.tags" :disabled="!canEdit" @update:model-value="draft = $event" />
        <p v-if="changed" class="unsaved">Not saved yet; kept in this tab.</p>
        <label class="field note">Note for colleagues<textarea v-model="draft.note" rows="2" maxlength="5000" :readonly="!canEdit" /></label>
        <div class="actions">
          <button v-if="canEdit" class="main-action" :disabled="saving" :title="unready ?? ''" @click="save">Save in the draft</button>
          <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">Back</RouterLink>
          <kbd>Ctrl S</kbd>
        </div>
        <details v-if="!isNew && canEdit" class="remove">
          <summary>Remove this tag</summary>
          <p class="hint">Pages change only with the next release.</p>
          <button class="danger" @click="remove">Remove “{{ draft.name }}”</button>
        </details>
      </template>
    </div>
    <aside class="evidence" aria-label="Evidence">
      <section>
        <h2>Its triggers, {{ range.length }} days</h2>
        <template v-if="evidence?.length">
          <div v-for="each in evidence" :key="each.id" class="fires">
            <strong>{{ count(each.conversions) }}</strong>
            <span>times, in {{ count(each.convertingVisits) }} of {{ count(each.visits) }} visits</span>
            <p
              v-if="draft.does.type === 'channel-event' && draft.does.call === 'event' && each.visits && each.convertingVisits > each.visits * 0.5"
              class="warning"
            >
              This event would be told in most visits. Is the trigger really the success page?
            </p>
          </div>
        </template>
        <p v-else class="hint">Tick what it waits for to see how often that happened.</p>
      </section>
      <section v-if="sent.length">
        <h2>What the visitor's browser then does</h2>
        <ol class="sent">
          <li v-for="(step, index) in sent" :key="index">
            {{ step.what }} <code>{{ step.how }}</code>
          </li>
        </ol>
        <p class="hint">Values stand for an example.</p>
      </section>
    </aside>
  </div>
</template>

<style scoped>
.name input {
  font: 600 26px/1.2 var(--display);
  border-color: transparent;
  padding: 2px 8px;
  margin: 0 0 16px -9px;
  width: 100%;
  max-width: 620px;
}
.name input:hover,
.name input:focus {
  border-color: var(--plaster-3);
}
.triggers {
  border: 0;
  padding: 0;
  margin: 0 0 14px;
  display: grid;
  gap: 4px;
}
.triggers label {
  display: flex;
  gap: 9px;
  align-items: baseline;
  line-height: 1.7;
}
legend {
  color: var(--ink-2);
  padding: 0;
}
.category {
  display: block;
  margin-top: 10px;
  color: var(--ink-2);
}
.note {
  max-width: 640px;
}
.actions {
  display: flex;
  gap: 10px;
  align-items: center;
}
.unsaved,
.warning {
  color: var(--ochre);
  font-size: 12.5px;
}
.remove {
  margin-top: 30px;
  color: var(--ink-2);
}
.fires strong {
  font: 600 30px/1.2 var(--display);
  margin-right: 8px;
}
.sent {
  padding-left: 18px;
  overflow-wrap: anywhere;
}
</style>
