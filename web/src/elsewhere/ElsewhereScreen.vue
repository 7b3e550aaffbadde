<script setup lang="ts">
import { parseLocalTime } from '@acequia/core/days/parseLocalTime'
import { parseTime } from '@acequia/core/days/parseTime'
import { calendarOf } from '@acequia/core/days/zone'
import { ELSEWHERE_KINDS, MOST_ROWS } from '@acequia/core/goals/elsewhereSchema'
import Papa from 'papaparse'
import { computed, ref } from 'vue'
import { api, ApiProblem, messageOf } from '../app/api'
import { download } from '../app/download'
import { count, timeText } from '../app/formatting'
import { useCurrentSite } from '../sites/currentSite'

/** Takes in conversions that happened elsewhere, and what became of orders, from a CSV file. */
type Kind = (typeof ELSEWHERE_KINDS)[number]
const KINDS: Record<Kind, string> = {
  happened: 'something happened elsewhere',
  cancelled: 'orders were cancelled',
  refunded: 'orders were paid back, in part or whole',
}
const MATCHES = { click: 'its click id', order: 'its order number', user: 'the user’s own id' } as const
const FIELDS = ['key', 'at', 'value', 'currency', 'order'] as const
type Field = (typeof FIELDS)[number]
const GUESSES: Record<Field, RegExp> = {
  key: /click|order|user|customer|id$/i,
  at: /^(at|when|time|date)/i,
  value: /value|amount|total|sum|price/i,
  currency: /currency/i,
  order: /^order/i,
}
const current = useCurrentSite()
const kind = ref<Kind>('happened')
const match = ref<keyof typeof MATCHES>('order')
const event = ref('sale-elsewhere')
const lines = ref<Record<string, string>[]>([])
const columns = ref<string[]>([])
const chosen = ref<Record<Field, string>>({ key: '', at: '', value: '', currency: '', order: '' })
const problem = ref('')
const wrong = ref<string[]>([])
const busy = ref(false)
const report = ref<{ accepted: number; known: number; unmatched: { row: number; key: string; message: string }[] }>()
const canEdit = computed(() => current.site?.role !== 'reader')
const matched = computed(() => (kind.value === 'happened' ? match.value : 'order'))
const fields = computed<Field[]>(() =>
  kind.value === 'cancelled'
    ? ['key']
    : kind.value === 'refunded'
      ? ['key', 'value', 'currency', 'at']
      : matched.value === 'order'
        ? ['key', 'at', 'value', 'currency']
        : [...FIELDS],
)
const FIELD_WORDS = computed<Record<Field, string>>(() => ({
  key: matched.value === 'click' ? 'click id' : matched.value === 'user' ? 'user id' : 'order number',
  at: 'when it happened',
  value: kind.value === 'refunded' ? 'amount paid back' : 'value',
  currency: 'currency',
  order: 'order number',
}))
const needed = (field: Field): boolean => field === 'key' || (field === 'at' && kind.value === 'happened') || (field === 'value' && kind.value === 'refunded')
const ready = computed(() => lines.value.length > 0 && fields.value.every((field) => !needed(field) || chosen.value[field]))

async function take(event_: Event): Promise<void> {
  const input = event_.target as HTMLInputElement
  const file = input.files?.[0]
  problem.value = ''
  report.value = undefined
  wrong.value = []
  if (!file) return
  const { data, meta } = Papa.parse<Record<string, string>>(await file.text(), { header: true, skipEmptyLines: true })
  if (!data.length || !meta.fields?.length) return void (problem.value = 'The file has no lines below its heading.')
  if (data.length > MOST_ROWS) return void (problem.value = `The file has ${count(data.length)} lines; take at most ${count(MOST_ROWS)} at once.`)
  lines.value = data
  columns.value = meta.fields
  for (const field of FIELDS) chosen.value[field] = columns.value.find((name) => GUESSES[field].test(name.trim())) ?? ''
}

const calendar = computed(() => calendarOf(current.site?.timeZone ?? 'UTC'))

/** A time as the API takes it; what cannot be read stays as it is, and is refused there with its line. */
function timeOf(text: string): string {
  const at = parseLocalTime(text, calendar.value)
  return at === null ? text : new Date(at).toISOString()
}

/** A cell as it was understood; what could not be read, as it is. */
function shown(field: Field, value: string | undefined): string {
  if (!value) return '–'
  return field === 'at' && parseTime(value) !== null ? timeText(value, calendar.value.timeZone) : value
}

const rows = computed(() =>
  lines.value.map((line): Partial<Record<Field, string>> => {
    const cell = (field: Field): string => (fields.value.includes(field) && chosen.value[field] ? (line[chosen.value[field]] ?? '').trim() : '')
    const value = cell('value')
      .replace(/\s/g, '')
      .replace(/^(-?\d+),(\d{1,4})$/, '$1.$2')
    return {
      key: cell('key'),
      ...(cell('at') && { at: timeOf(cell('at')) }),
      ...(value && { value }),
      ...(cell('currency') && { currency: cell('currency') }),
      ...(cell('order') && { order: cell('order') }),
    }
  }),
)

async function send(): Promise<void> {
  busy.value = true
  problem.value = ''
  wrong.value = []
  report.value = undefined
  try {
    report.value = await api('POST', `${current.path}/conversions:import`, { as: kind.value, match: matched.value, event: event.value, rows: rows.value })
  } catch (cause) {
    problem.value = messageOf(cause)
    if (cause instanceof ApiProblem)
      wrong.value = cause.errors.slice(0, 10).map(({ path, message }) => {
        const row = /^rows\.(\d+)/.exec(path)?.[1]
        return row === undefined ? message : `Line ${Number(row) + 2}: ${message}`
      })
  } finally {
    busy.value = false
  }
}

function saveUnmatched(): void {
  const list = (report.value?.unmatched ?? []).map(({ row, message }) => ({ ...lines.value[row - 1], why: message }))
  download(Papa.unparse(list, { escapeFormulae: true }), 'not-matched.csv', 'text/csv')
}
</script>

<template>
  <div class="screen">
    <div class="screen-head"><h1>Conversions from elsewhere</h1></div>
    <p class="hint about">
      A call, a sale at the desk, a payment that came later: tell it from a file, and it is recorded with the visitor it belongs to. The same line again changes
      nothing. Orders that were cancelled stop counting; what was paid back is taken off their value.
    </p>
    <p v-if="!canEdit" class="hint">Your role on this site is reader; somebody else has to do this.</p>
    <form v-else @submit.prevent="send">
      <p class="sentence">
        The lines say that
        <select v-model="kind" aria-label="What the lines say">
          <option v-for="each in ELSEWHERE_KINDS" :key="each" :value="each">{{ KINDS[each] }}</option></select
        ><template v-if="kind === 'happened'"
          >, recorded as <input v-model.trim="event" class="mono" maxlength="100" aria-label="Name of the event" />, and a visitor is found by
          <select v-model="match" aria-label="Found by">
            <option v-for="(words, each) in MATCHES" :key="each" :value="each">{{ words }}</option>
          </select> </template
        >.
      </p>
      <label class="field">CSV file<input type="file" accept=".csv,text/csv" @change="take" /></label>
      <p v-if="problem" class="problem" role="alert">
        {{ problem }}
        <span v-for="each in wrong" :key="each" class="line">{{ each }}</span>
      </p>
      <template v-if="lines.length">
        <h2>Which column is which</h2>
        <div class="mapping">
          <label v-for="field in fields" :key="field">
            {{ FIELD_WORDS[field] }}{{ needed(field) ? '' : ' (if any)' }}
            <select v-model="chosen[field]" :aria-label="FIELD_WORDS[field]">
              <option value="">–</option>
              <option v-for="name in columns" :key="name" :value="name">{{ name }}</option>
            </select>
          </label>
        </div>
        <h2>As it is understood, {{ count(lines.length) }} {{ lines.length === 1 ? 'line' : 'lines' }}</h2>
        <p v-if="fields.includes('at')" class="hint">
          Times without a zone are on the site's clock ({{ calendar.timeZone }}), days alone mean noon. Shown here on that clock.
        </p>
        <table class="figures">
          <thead>
            <tr>
              <th v-for="field in fields" :key="field">{{ FIELD_WORDS[field] }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, index) in rows.slice(0, 5)" :key="index">
              <td v-for="field in fields" :key="field" class="mono">{{ shown(field, row[field]) }}</td>
            </tr>
          </tbody>
        </table>
        <p>
          <button class="main-action" :disabled="!ready || busy">{{ busy ? 'Looking for the visitors …' : `Take in ${count(lines.length)} lines` }}</button>
          <span v-if="!ready" class="hint"> Choose the columns that are needed.</span>
        </p>
      </template>
    </form>
    <section v-if="report" role="status">
      <h2>What became of the lines</h2>
      <p>
        <strong>{{ count(report.accepted) }}</strong> recorded, {{ count(report.known) }} were known already,
        <strong>{{ count(report.unmatched.length) }}</strong> could not be matched.
        <RouterLink v-if="kind === 'happened' && report.accepted" :to="{ name: 'new-goal', params: { key: current.key }, query: { event } }"
          >Count them as a goal</RouterLink
        >
      </p>
      <template v-if="report.unmatched.length">
        <table class="figures">
          <thead>
            <tr>
              <th class="number">Line</th>
              <th>{{ FIELD_WORDS.key }}</th>
              <th>Why</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="each in report.unmatched.slice(0, 20)" :key="each.row">
              <td class="number">{{ each.row + 1 }}</td>
              <td class="mono">{{ each.key || '–' }}</td>
              <td>{{ each.message }}</td>
            </tr>
          </tbody>
        </table>
        <button @click="saveUnmatched">All that were not matched, as CSV</button>
      </template>
    </section>
  </div>
</template>

<style scoped>
.about {
  max-width: 80ch;
  margin-bottom: 18px;
}
.sentence {
  font-size: 16px;
  line-height: 40px;
}
.sentence input,
.sentence select {
  line-height: normal;
}
.mapping {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 20px;
  margin-bottom: 18px;
}
.mapping label {
  display: grid;
  gap: 4px;
}
.line {
  display: block;
}
.figures {
  margin-bottom: 14px;
}
section {
  margin-top: 24px;
}
</style>
