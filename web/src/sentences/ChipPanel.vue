<script setup lang="ts">
import { EVENT_READINGS } from '@acequia/core/readings/readEvent'
import { isReading, OPS, type Condition, type Op } from '@acequia/core/rules/Rule'
import type { Part } from '@acequia/core/sentences/Part'
import { opWords, readingWords } from '@acequia/core/sentences/ruleSentence'
import { readSlot, writeSlot } from '@acequia/core/sentences/slots'
import { computed, nextTick, onMounted, ref } from 'vue'
import { useOwnReadings } from '../readings/ownReadings'
import ElementPicker from '../probes/ElementPicker.vue'
import type { Choice } from './choice'
import ValueOffers from './ValueOffers.vue'

/** The small editor that a chip opens in place. Works on a copy of the whole object and gives it back. */
const props = defineProps<{
  part: Extract<Part, { type: 'chip' }>
  model: object
  choices: Choice<object>[]
  /** Name of the events whose readings are offered. */
  event: string | undefined
  currency: string
  /** Readings that this moment's events have beside those of every event. */
  readings?: string[]
}>()
const emit = defineEmits<{
  /** Takes a changed object; `done` also closes the panel. */
  change: [model: object, done: boolean]
  close: []
  /** Wants the condition at this slot removed. */
  removeCondition: []
  removeStep: []
}>()

const root = ref<HTMLElement>()
const conditionSlot = computed(() => /^(.+\.all\.\d+)\.(reading|op|value)$/.exec(props.part.slot)?.[1])
const condition = computed(() => (conditionSlot.value ? (readSlot(props.model, conditionSlot.value) as Condition) : undefined))

const found = readSlot(props.model, props.part.slot)
const typed = ref(Array.isArray(found) ? '' : String(found ?? ''))
const list = ref<string[]>(Array.isArray(found) ? found.map(String) : [])
const unit = ref(typeof found === 'number' && found % 3600 === 0 ? 3600 : typeof found === 'number' && found % 60 === 0 ? 60 : 1)
if (props.part.edits === 'duration') typed.value = String(Number(found) / unit.value)
const named = ref<'query' | 'data'>(typed.value.startsWith('data.') ? 'data' : 'query')
const parameter = ref(/^(query|data)\./.test(typed.value) ? typed.value.slice(typed.value.indexOf('.') + 1) : '')
const problem = ref('')

const own = useOwnReadings()
const offered = computed(() => [...(props.readings ?? []), ...own.value.map((name) => `own.${name}`), ...EVENT_READINGS])
const isList = computed(() => condition.value?.op === 'in')

onMounted(async () => {
  await nextTick()
  root.value?.querySelector<HTMLElement>('[data-first], button, input')?.focus()
})

function put(value: unknown, done = true, slot = props.part.slot): void {
  emit('change', writeSlot(props.model, slot, value), done)
}

function chooseOp(op: Op, not: boolean): void {
  const before = condition.value as Condition
  const value =
    op === 'in'
      ? Array.isArray(before.value)
        ? before.value
        : before.value === '' || before.value === undefined
          ? []
          : [before.value]
      : Array.isArray(before.value)
        ? (before.value[0] ?? '')
        : (before.value ?? '')
  emit('change', writeSlot(props.model, conditionSlot.value as string, { ...before, op, not, value }), true)
}

function chooseReading(reading: string): void {
  if (!isReading(reading)) return void (problem.value = 'Say which one: its name is missing.')
  put(reading)
}

function applyTyped(): void {
  if (isList.value) {
    if (typed.value.trim()) list.value = [...list.value, typed.value.trim()]
    typed.value = ''
    return put(list.value, false)
  }
  if (props.part.edits === 'selector') {
    try {
      document.createDocumentFragment().querySelector(typed.value.trim() || '*')
    } catch {
      return void (problem.value = 'This is no CSS selector. Such are #offer, .buy or form[name="booking"].')
    }
    return put(typed.value.trim() || undefined)
  }
  if (props.part.edits === 'value' || props.part.edits === 'name') return put(typed.value.trim())
  const number = Number(typed.value.replace(',', '.'))
  if (typed.value.trim() === '' || !Number.isFinite(number)) return void (problem.value = 'This is no number.')
  if (props.part.edits === 'money') return put(Math.round(number * 1e4) / 1e4)
  if (number <= 0 && props.part.edits !== 'duration') return void (problem.value = 'It must be more than nothing.')
  put(props.part.edits === 'duration' ? Math.round(number * unit.value) : Math.max(1, Math.round(number)))
}

function offer(text: string): void {
  if (!isList.value) return put(text)
  if (!list.value.includes(text)) list.value = [...list.value, text]
  put(list.value, false)
}

function dropFromList(text: string): void {
  list.value = list.value.filter((each) => each !== text)
  put(list.value, false)
}

/** Arrow keys walk through lists of choices. */
function walk(event: KeyboardEvent, step: number): void {
  const all = [...(root.value?.querySelectorAll<HTMLElement>('[data-walk]') ?? [])]
  const here = all.indexOf(event.target as HTMLElement)
  if (here < 0) return
  event.preventDefault()
  all[(here + step + all.length) % all.length]?.focus()
}
</script>

<template>
  <div
    ref="root"
    class="panel"
    role="dialog"
    :aria-label="`Change “${part.text}”`"
    @keydown.esc.stop="emit('close')"
    @keydown.down="walk($event, 1)"
    @keydown.up="walk($event, -1)"
  >
    <p v-if="problem" class="error-text" role="alert">{{ problem }}</p>

    <ul v-if="part.edits === 'choice' || part.edits === 'channel' || part.edits === 'step' || part.edits === 'several'" class="choices">
      <li v-for="choice in choices" :key="choice.label">
        <button type="button" data-walk :aria-pressed="choice.chosen" @click="emit('change', choice.apply(model), part.edits !== 'several')">
          <span v-if="part.edits === 'several'" aria-hidden="true">{{ choice.chosen ? '☑' : '☐' }}</span>{{ choice.label
          }}<small v-if="choice.hint">{{ choice.hint }}</small>
        </button>
      </li>
    </ul>

    <template v-else-if="part.edits === 'op' && condition">
      <ul class="choices two">
        <template v-for="not in [false, true]" :key="String(not)">
          <li v-for="op in OPS" :key="op" :style="{ gridColumn: not ? 2 : 1 }">
            <button type="button" data-walk :aria-pressed="condition.op === op && condition.not === not" @click="chooseOp(op, not)">
              {{ opWords(op, not) }}
            </button>
          </li>
        </template>
      </ul>
      <label class="check"
        ><input type="checkbox" :checked="condition.caseSensitive" @change="put(!condition.caseSensitive, false, conditionSlot + '.caseSensitive')" /> tell
        upper and lower case apart</label
      >
    </template>

    <template v-else-if="part.edits === 'reading'">
      <ul class="choices two">
        <li v-for="reading in offered" :key="reading">
          <button type="button" data-walk :aria-pressed="typed === reading" @click="chooseReading(reading)">{{ readingWords(reading) }}</button>
        </li>
      </ul>
      <form class="row" @submit.prevent="chooseReading(`${named}.${parameter.trim()}`)">
        <select v-model="named" aria-label="Kind of reading">
          <option value="query">address parameter</option>
          <option value="data">data</option>
        </select>
        <input v-model="parameter" class="mono" :placeholder="named === 'query' ? 'order' : 'formId'" aria-label="Its name" />
        <button>Use</button>
      </form>
    </template>

    <form v-else @submit.prevent="applyTyped">
      <div v-if="isList && list.length" class="row wrap">
        <button v-for="each in list" :key="each" type="button" class="mono" :aria-label="`Remove ${each}`" @click="dropFromList(each)">{{ each }} ×</button>
      </div>
      <div class="row">
        <input
          v-model="typed"
          data-first
          :class="{ mono: part.mono }"
          :inputmode="part.edits === 'money' || part.edits === 'number' || part.edits === 'duration' ? 'decimal' : 'text'"
          :aria-label="part.edits === 'value' ? 'Value' : part.text"
          :placeholder="part.edits === 'value' ? 'type or choose below' : part.edits === 'selector' ? '#id, .class or any CSS selector' : ''"
          maxlength="4096"
        />
        <span v-if="part.edits === 'money'">{{ currency }}</span>
        <select v-if="part.edits === 'duration'" v-model="unit" aria-label="Unit">
          <option :value="1">seconds</option>
          <option :value="60">minutes</option>
          <option :value="3600">hours</option>
        </select>
        <button class="main-action">{{ isList ? 'Add' : 'Use' }}</button>
      </div>
    </form>
    <ElementPicker v-if="part.edits === 'selector'" @choose="put($event, false)" />
    <ValueOffers
      v-if="part.edits === 'value' && condition"
      :reading="condition.reading"
      :search="isList ? typed : typed === String(condition.value ?? '') ? '' : typed"
      :event="event"
      @choose="offer"
    />
    <ValueOffers
      v-else-if="part.edits === 'name' && (part.slot === 'kind.event' || part.slot === 'moment.name' || part.slot === 'event')"
      reading="event"
      :search="''"
      :event="undefined"
      @choose="put($event)"
    />

    <div v-if="condition || part.edits === 'step'" class="foot">
      <button v-if="condition" type="button" class="quiet danger" @click="emit('removeCondition')">Remove this condition</button>
      <button v-if="part.edits === 'step'" type="button" class="quiet danger" @click="emit('removeStep')">Remove this step</button>
    </div>
  </div>
</template>

<style scoped>
.panel {
  background: var(--plaster);
  border: 1px solid var(--water);
  border-radius: var(--radius);
  padding: 12px;
  width: min(440px, 88vw);
  font-size: 14px;
  line-height: 1.45;
}
.choices {
  list-style: none;
  margin: 0;
  padding: 0;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  grid-auto-flow: dense;
  column-gap: 8px;
}
.choices button {
  width: 100%;
  border-color: transparent;
  font-weight: 500;
  white-space: normal;
  text-align: left;
  flex-wrap: wrap;
  padding: 5px 8px;
}
.choices button:hover {
  background: var(--water-mist);
}
.choices button[aria-pressed='true'] {
  background: var(--water-run);
  font-weight: 700;
}
small {
  color: var(--ink-2);
  font-weight: 400;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}
.wrap {
  flex-wrap: wrap;
}
.row input {
  flex: 1;
  min-width: 0;
}
.check {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}
.foot {
  margin-top: 8px;
}
</style>
