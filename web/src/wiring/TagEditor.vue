<script setup lang="ts">
import type { BacktestResult } from '@acequia/core/goals/Backtest'
import { fillAddress, fillTemplate, type TemplateValues } from '@acequia/core/recipes/fillTemplate'
import type { Recipe } from '@acequia/core/recipes/recipeSchema'
import { tagAction, tagValueWords } from '@acequia/core/sentences/tagSentence'
import { triggerSentence } from '@acequia/core/sentences/triggerSentence'
import { text } from '@acequia/core/sentences/Part'
import type { Tag, TagValue } from '@acequia/core/wiring/wiringSchema'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '../app/api'
import { count, locale } from '../app/formatting'
import { useRange } from '../app/range'
import { useKeptDraft } from '../app/useKeptDraft'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import type { Choice } from '../sentences/choice'
import SentenceEditor from '../sentences/SentenceEditor.vue'
import SentenceText from '../sentences/SentenceText.vue'
import { useCurrentSite } from '../sites/currentSite'
import { newId, useWiring } from './useWiring'

/** What happens when a trigger fires: which channel is told, about what, and with which value. */
const VALUES: TagValue[] = [{ type: 'none' }, { type: 'fixed', amount: 1 }, { type: 'reading', reading: 'value' }]
const NEW_TAG: Tag = { id: '', name: '', triggers: [], paused: false, does: { type: 'channel-event', channel: '', call: 'event', value: { type: 'none' } } }

const route = useRoute()
const router = useRouter()
const current = useCurrentSite()
const range = useRange()
const isNew = route.params.id === 'new'
const id = isNew ? newId() : String(route.params.id)
const { wiring, channels, problem, change } = useWiring()
const { draft, changed, accept, settle } = useKeptDraft<Tag>(`tag.${current.key}.${isNew ? `new.${String(route.query.trigger ?? '')}` : id}`, NEW_TAG)
const ready = ref(false)
const saving = ref(false)
const { data: recipes } = useLoaded<Recipe[]>((signal) => api('GET', '/recipes', undefined, signal))
const missing = computed(() => !isNew && wiring.value && !wiring.value.tags.some((each) => each.id === id))
const canEdit = computed(() => current.site?.role !== 'reader')
const currency = computed(() => current.site?.currency ?? 'EUR')
const channel = computed(() => channels.value.find((each) => each.id === draft.value.does.channel))
const recipe = computed(() => recipes.value?.find((each) => each.id === channel.value?.recipe))

const stop = watch(wiring, (loaded) => {
  if (!loaded) return
  const trigger = typeof route.query.trigger === 'string' ? route.query.trigger : undefined
  const [only] = channels.value
  accept(
    loaded.tags.find((each) => each.id === id) ?? {
      ...NEW_TAG,
      triggers: trigger ? [trigger] : [],
      does: { ...NEW_TAG.does, channel: channels.value.length === 1 && only ? only.id : '' },
    },
  )
  ready.value = true
  stop()
})

const parts = computed(() => [text('Then'), ...tagAction(draft.value, channels.value, currency.value, locale), text('.')])
const does =
  <K extends keyof Tag['does']>(name: K, value: Tag['does'][K]) =>
  (model: object): object => ({ ...model, does: { ...(model as Tag).does, [name]: value } })

function choicesFor(slot: string): Choice<object>[] {
  const now = draft.value.does
  if (slot === 'does.channel') return channels.value.map((each) => ({ label: each.name, chosen: each.id === now.channel, apply: does('channel', each.id) }))
  if (slot === 'does.call') {
    const calls = recipe.value?.calls ?? { base: {}, event: {} }
    return (['base', 'event'] as const)
      .filter((call) => calls[call])
      .map((call) => ({
        label: call === 'base' ? 'that the page was viewed' : 'about an event',
        hint: call === 'base' ? 'the base pixel; once, on every page' : '',
        chosen: now.call === call,
        apply: does('call', call),
      }))
  }
  if (slot === 'does.value') return VALUES.map((value) => ({ label: tagValueWords(value), chosen: now.value.type === value.type, apply: does('value', value) }))
  return []
}

const unready = computed(() => {
  const { name, does: what } = draft.value
  if (!what.channel) return 'Choose the channel that is told.'
  if (what.call === 'event' && recipe.value?.calls.event?.needs.includes('event') && !what.event) return 'Say which event the channel is told about.'
  return name.trim() ? null : 'Give the tag a name.'
})

const { data: evidence } = useLoaded<(BacktestResult & { id: string })[]>(
  async (signal) => {
    const triggers = (wiring.value?.triggers ?? []).filter((each) => draft.value.triggers.includes(each.id))
    return Promise.all(
      triggers.map(async (trigger) => ({
        id: trigger.id,
        ...(await api<BacktestResult>('POST', `${current.path}/wiring:test`, { trigger, ...range.asked }, signal)),
      })),
    )
  },
  [() => draft.value.triggers.join(), () => wiring.value?.revision, () => range.query],
  100,
)

/** What the channel would get, with an example of what would be filled in. */
const sent = computed(() => {
  const { does: what } = draft.value
  const example = evidence.value?.[0]?.examples[0]
  const amount = what.value.type === 'fixed' ? what.value.amount : what.value.type === 'reading' ? (what.value.fallback ?? 36) : undefined
  const values: TemplateValues = {
    ...Object.fromEntries(Object.entries(channel.value?.ids ?? {}).map(([name, value]) => ['id.' + name, value])),
    event: what.event || undefined,
    value: amount,
    currency: amount === undefined ? undefined : currency.value,
    order: example?.order ?? undefined,
  }
  return (recipe.value?.calls[what.call]?.steps ?? []).map((step) => {
    if ('script' in step) return { what: 'loads', how: step.script }
    if ('image' in step) return { what: 'requests', how: fillAddress(step.image, values) }
    return { what: 'calls', how: `${step.queue}(${step.push.map((each) => JSON.stringify(fillTemplate(each, values)) ?? '–').join(', ')})` }
  })
})

function toggleTrigger(trigger: string): void {
  const { triggers } = draft.value
  draft.value = { ...draft.value, triggers: triggers.includes(trigger) ? triggers.filter((each) => each !== trigger) : [...triggers, trigger] }
}

async function save(): Promise<void> {
  problem.value = unready.value ?? ''
  if (problem.value || saving.value) return
  saving.value = true
  const tag = { ...draft.value, id }
  const saved = await change((before) => ({
    ...before,
    tags: before.tags.some((each) => each.id === id) ? before.tags.map((each) => (each.id === id ? tag : each)) : [...before.tags, tag],
  }))
  saving.value = false
  if (!saved) return
  settle(tag)
  await router.push({ name: 'wiring', params: { key: current.key } })
}

async function remove(): Promise<void> {
  if (await change((before) => ({ ...before, tags: before.tags.filter((each) => each.id !== id) })))
    await router.push({ name: 'wiring', params: { key: current.key } })
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
      <div v-else-if="wiring && !channels.length" class="empty">
        <h2>There is no channel to tell yet</h2>
        <p>Connect the place where you buy ads, with the number it knows you by. Then come back here.</p>
        <RouterLink class="button main-action" :to="{ name: 'channels', params: { key: current.key } }">Connect a channel</RouterLink>
      </div>
      <template v-else-if="wiring">
        <fieldset class="triggers">
          <legend>When any of these happens …</legend>
          <label v-for="trigger in wiring.triggers" :key="trigger.id"
            ><input type="checkbox" :checked="draft.triggers.includes(trigger.id)" :disabled="!canEdit" @change="toggleTrigger(trigger.id)" /><SentenceText
              :parts="triggerSentence(trigger)"
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
        />
        <p v-if="draft.does.call === 'event' && recipe?.events.length && !draft.does.event && canEdit" class="names">
          {{ channel?.name }} knows these events:
          <button v-for="each in recipe.events" :key="each.name" type="button" :title="each.label" @click="draft = does('event', each.name)(draft) as Tag">
            <code>{{ each.name }}</code> {{ each.label }}
          </button>
        </p>
        <label class="check"><input v-model="draft.paused" type="checkbox" :disabled="!canEdit" /> Paused: stays in the wiring, does not fire</label>
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
        <h2>Would have fired, {{ range.length }} days</h2>
        <template v-if="evidence?.length">
          <div v-for="each in evidence" :key="each.id" class="fires">
            <strong>{{ count(each.conversions) }}</strong>
            <span>times, in {{ count(each.convertingVisits) }} of {{ count(each.visits) }} visits</span>
            <p v-if="draft.does.call === 'event' && each.visits && each.convertingVisits > each.visits * 0.5" class="warning">
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
.triggers label,
.check {
  display: flex;
  gap: 9px;
  align-items: baseline;
  line-height: 1.7;
}
legend {
  color: var(--ink-2);
  padding: 0;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin: 8px 0 16px;
}
.names button {
  font-weight: 400;
}
.check {
  margin: 18px 0;
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
