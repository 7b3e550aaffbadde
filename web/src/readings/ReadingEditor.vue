<script setup lang="ts">
import { cleanText } from '@acequia/core/readings/cleanText'
import { ownReadingSchema, type OwnReading, type ReadingSource } from '@acequia/core/readings/ownReadingSchema'
import { OPS } from '@acequia/core/rules/Rule'
import { readingSentence, SOURCE_TYPES, sourceWords } from '@acequia/core/sentences/readingSentence'
import { opWords } from '@acequia/core/sentences/ruleSentence'
import { X } from 'lucide-vue-next'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useKeptDraft } from '../app/useKeptDraft'
import { useKeys } from '../app/useKeys'
import ElementPicker from '../probes/ElementPicker.vue'
import { useCurrentSite } from '../sites/currentSite'
import ValueOffers from '../sentences/ValueOffers.vue'
import { useWiring } from '../wiring/useWiring'
import { provideOwnReadings } from './ownReadings'
import ReadingField from './ReadingField.vue'

/** Where a reading comes from, how its text is cleaned, and what it last read. */
const SOURCES: Record<ReadingSource['type'], ReadingSource> = {
  element: { type: 'element', selector: '' },
  field: { type: 'field', field: '' },
  query: { type: 'query', parameter: '' },
  'digital-data': { type: 'digital-data', path: '' },
  global: { type: 'global', path: '' },
  data: { type: 'data', name: '' },
  cookie: { type: 'cookie', name: '' },
  visit: { type: 'visit', of: 'this', what: 'landing' },
  click: { type: 'click', channel: '' },
  table: { type: 'table', reading: 'path', rows: [{ op: 'starts', value: '', result: '' }] },
  constant: { type: 'constant', value: '' },
}
const NEW: OwnReading = { name: '', from: { type: 'element', selector: '' }, clean: { trim: true, lowerCase: false }, always: false }

const route = useRoute()
const router = useRouter()
const current = useCurrentSite()
const name = String(route.params.name)
const isNew = name === 'new'
const { wiring, channels, problem, change } = useWiring()
const { draft, changed, accept, settle } = useKeptDraft<OwnReading>(`reading.${current.key}.${name}`, NEW)
const canEdit = computed(() => current.site?.role !== 'reader')
const missing = computed(() => !isNew && wiring.value && !wiring.value.readings.some((each) => each.name === name))
const example = ref('Total: 1.234,50 €')
const from = computed(() => draft.value.from)
const ready = ref(false)
provideOwnReadings(computed(() => wiring.value?.readings.map((each) => each.name).filter((each) => each !== name) ?? []))

const stop = watch(wiring, (loaded) => {
  if (!loaded) return
  accept(loaded.readings.find((each) => each.name === name) ?? NEW)
  ready.value = true
  stop()
})

const unready = computed(() => {
  const checked = ownReadingSchema.safeParse(draft.value)
  if (!checked.success) return checked.error.issues[0]?.message ?? 'Something is not filled in right.'
  return wiring.value?.readings.some((each) => each.name === draft.value.name && each.name !== name) ? 'There is a reading of this name already.' : null
})
const put = (part: object): void => {
  draft.value = { ...draft.value, from: { ...draft.value.from, ...part } as ReadingSource }
}
const valueOf = (event: Event): string => (event.target as HTMLInputElement | HTMLSelectElement).value

async function save(): Promise<void> {
  problem.value = unready.value ?? ''
  if (problem.value) return
  const reading = draft.value
  const rename = (text: string): string =>
    isNew || reading.name === name ? text : text.replace(new RegExp(`own\\.${name}(?![a-z0-9-])`, 'g'), `own.${reading.name}`)
  const saved = await change(isNew ? `the new reading “${reading.name}”` : `the change of “${name}”`, (before) => {
    // A new name goes along to all rules, tags and tables that use it.
    const renamed = JSON.parse(rename(JSON.stringify({ triggers: before.triggers, tags: before.tags, readings: before.readings }))) as typeof before
    return { ...renamed, readings: isNew ? [...renamed.readings, reading] : renamed.readings.map((each) => (each.name === name ? reading : each)) }
  })
  if (!saved) return
  settle(reading)
  await router.push({ name: 'wiring', params: { key: current.key } })
}

async function remove(): Promise<void> {
  if (await change(`the removal of the reading “${name}”`, (before) => ({ readings: before.readings.filter((each) => each.name !== name) })))
    await router.push({ name: 'wiring', params: { key: current.key } })
}

useKeys({ '$mod+s': () => void save(), '$mod+Enter': () => void save() })
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <div class="screen-head">
        <h1>{{ isNew ? 'New reading' : name }}</h1>
      </div>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div v-if="missing" class="empty">
        <h2>This reading is no longer in the draft</h2>
        <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">To the wiring</RouterLink>
      </div>
      <fieldset v-else-if="ready" :disabled="!canEdit" class="fields">
        <label class="field"
          >Name<input v-model.trim="draft.name" class="mono" maxlength="40" placeholder="basket-total" /><small
            >Rules and tags call it <code>own.{{ draft.name || '…' }}</code></small
          ></label
        >
        <label class="field"
          >It is
          <select :value="from.type" @change="draft = { ...draft, from: SOURCES[valueOf($event) as ReadingSource['type']] }">
            <option v-for="each in SOURCE_TYPES" :key="each" :value="each">{{ sourceWords(each) }}</option>
          </select></label
        >
        <template v-if="from.type === 'element'">
          <label class="field"
            >CSS selector of the element<input
              class="mono"
              :value="from.selector"
              maxlength="500"
              placeholder="#total"
              @input="put({ selector: valueOf($event) })"
          /></label>
          <ElementPicker v-if="canEdit" @choose="put({ selector: $event })" />
          <label class="field"
            >Attribute<input
              class="mono"
              :value="from.attribute ?? ''"
              maxlength="100"
              placeholder="its text"
              @input="put({ attribute: valueOf($event) || undefined })"
            /><small>Left empty: the text that people see.</small></label
          >
        </template>
        <label v-else-if="from.type === 'field'" class="field"
          >Name of the form's field<input class="mono" :value="from.field" maxlength="100" placeholder="night" @input="put({ field: valueOf($event) })" /><small
            >Passwords and card numbers are never read; of e-mail addresses only a SHA-256.</small
          ></label
        >
        <label v-else-if="from.type === 'query'" class="field"
          >Address parameter<input class="mono" :value="from.parameter" maxlength="100" placeholder="order" @input="put({ parameter: valueOf($event) })"
        /></label>
        <label v-else-if="from.type === 'cookie'" class="field"
          >Cookie<input class="mono" :value="from.name" maxlength="100" placeholder="plan" @input="put({ name: valueOf($event) })" /><small
            >Only cookies that scripts may read.</small
          ></label
        >
        <label v-else-if="from.type === 'data'" class="field"
          >Name in the signal's data<input class="mono" :value="from.name" maxlength="100" placeholder="seats" @input="put({ name: valueOf($event) })"
        /></label>
        <label v-else-if="from.type === 'global' || from.type === 'digital-data'" class="field"
          >{{ from.type === 'global' ? 'Path from the page’s global names' : 'Path in digitalData' }}
          <input
            class="mono"
            :value="from.path"
            maxlength="200"
            :placeholder="from.type === 'global' ? 'shop.cart.total' : 'transaction.total.basePrice'"
            @input="put({ path: valueOf($event) })"
        /></label>
        <label v-else-if="from.type === 'constant'" class="field"
          >Text<input :value="from.value" maxlength="500" @input="put({ value: valueOf($event) })"
        /></label>
        <div v-else-if="from.type === 'visit'" class="row">
          <select :value="from.what" aria-label="What" @change="put({ what: valueOf($event) })">
            <option value="landing">landing path</option>
            <option value="source">source</option>
            <option value="medium">medium</option>
            <option value="campaign">campaign</option>
          </select>
          of
          <select :value="from.of" aria-label="Of which visit" @change="put({ of: valueOf($event) })">
            <option value="this">this visit</option>
            <option value="first">the browser's first visit</option>
          </select>
        </div>
        <label v-else-if="from.type === 'click'" class="field"
          >Channel
          <select :value="from.channel" @change="put({ channel: valueOf($event) })">
            <option value="">– choose –</option>
            <option v-for="channel in channels" :key="channel.id" :value="channel.id">{{ channel.name }}</option>
          </select></label
        >
        <div v-else-if="from.type === 'table'" class="table">
          <p>Looks at <ReadingField :model-value="from.reading" label="Reading that is translated" @update:model-value="put({ reading: $event })" /></p>
          <div v-for="(row, index) in from.rows" :key="index" class="row">
            <select
              :value="row.op"
              :aria-label="`Comparison of row ${index + 1}`"
              @change="put({ rows: from.rows.map((each, at) => (at === index ? { ...each, op: valueOf($event) } : each)) })"
            >
              <option v-for="op in OPS" :key="op" :value="op">{{ opWords(op) }}</option>
            </select>
            <input
              class="mono"
              :value="row.value"
              :aria-label="`Value of row ${index + 1}`"
              maxlength="500"
              @input="put({ rows: from.rows.map((each, at) => (at === index ? { ...each, value: valueOf($event) } : each)) })"
            />
            →
            <input
              class="mono"
              :value="row.result"
              :aria-label="`Result of row ${index + 1}`"
              maxlength="500"
              @input="put({ rows: from.rows.map((each, at) => (at === index ? { ...each, result: valueOf($event) } : each)) })"
            />
            <button type="button" class="quiet" :aria-label="`Remove row ${index + 1}`" @click="put({ rows: from.rows.filter((_, at) => at !== index) })">
              <X :size="14" aria-hidden="true" />
            </button>
          </div>
          <button type="button" class="quiet" @click="put({ rows: [...from.rows, { op: 'is', value: '', result: '' }] })">another row</button>
          <label class="field"
            >Otherwise<input
              class="mono"
              :value="from.otherwise ?? ''"
              maxlength="500"
              placeholder="nothing"
              @input="put({ otherwise: valueOf($event) || undefined })"
          /></label>
          <p class="hint">The first row that holds gives the result.</p>
        </div>

        <h2>Cleaned up</h2>
        <label class="check"><input v-model="draft.clean.trim" type="checkbox" /> spaces around it taken away</label>
        <label class="check"><input v-model="draft.clean.lowerCase" type="checkbox" /> in lower case</label>
        <label class="check"
          >as
          <select
            :value="draft.clean.number ?? ''"
            aria-label="As text or number"
            @change="draft = { ...draft, clean: { ...draft.clean, number: (valueOf($event) || undefined) as '.' | ',' | undefined } }"
          >
            <option value="">the text it is</option>
            <option value=",">the number in it, 1.234,50</option>
            <option value=".">the number in it, 1,234.50</option>
          </select></label
        >
        <label class="check"
          >or else
          <input
            :value="draft.clean.otherwise ?? ''"
            class="mono"
            maxlength="500"
            placeholder="nothing"
            aria-label="Used where nothing was read"
            @input="draft = { ...draft, clean: { ...draft.clean, otherwise: valueOf($event) || undefined } }"
        /></label>
        <label class="check"><input v-model="draft.always" type="checkbox" /> taken at every event, not only where a rule or tag needs it</label>
        <label class="field note">Note for colleagues<textarea v-model="draft.note" rows="2" maxlength="5000" /></label>
        <p v-if="changed" class="unsaved">Not saved yet; kept in this tab.</p>
        <div class="actions">
          <button v-if="canEdit" type="button" class="main-action" :title="unready ?? ''" @click="save">Save in the draft</button>
          <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">Back</RouterLink>
          <button v-if="!isNew && canEdit" type="button" class="danger" @click="remove">Remove</button>
        </div>
      </fieldset>
    </div>
    <aside class="evidence" aria-label="Evidence">
      <section>
        <h2>In words</h2>
        <p>{{ readingSentence(draft, channels) }}</p>
      </section>
      <section>
        <h2>Try the clean-up</h2>
        <label class="visually-hidden" for="try-text">A text as the page may show it</label>
        <input id="try-text" v-model="example" class="mono" />
        <p class="result" role="status">
          → <code>{{ cleanText(example, draft.clean) ?? 'nothing' }}</code>
        </p>
      </section>
      <section v-if="!isNew">
        <ValueOffers :reading="`own.${name}`" search="" :event="undefined" />
        <p class="hint">What it read on the site. Recorded once a release with it is live.</p>
      </section>
    </aside>
  </div>
</template>

<style scoped>
.fields {
  border: 0;
  padding: 0;
  margin: 0;
  max-width: 620px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}
.row input {
  width: 150px;
}
.check {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}
.note {
  margin-top: 16px;
}
.actions {
  display: flex;
  gap: 10px;
}
.unsaved {
  color: var(--ochre);
  font-size: 12.5px;
}
fieldset h2 {
  margin-top: 18px;
}
.table .field {
  margin-top: 10px;
}
.result {
  margin-top: 8px;
}
</style>
