<script setup lang="ts">
import { calendarOf } from '@acequia/core/days/zone'
import { DIMENSION_WORDS } from '@acequia/core/dimensions/dimensions'
import { GOAL_BREAKDOWNS, type GoalReportResult } from '@acequia/core/goals/GoalReportTally'
import { SERIES_UNITS, type SeriesUnit } from '@acequia/core/goals/reportSpans'
import type { Goal } from '@acequia/core/goals/goalSchema'
import { plainText } from '@acequia/core/sentences/Part'
import { goalSentence } from '@acequia/core/sentences/goalSentence'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, messageOf } from '../app/api'
import { changeFrom, count, locale, money, rate, timeText } from '../app/formatting'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import SeriesChart from '../charts/SeriesChart.vue'
import SentenceText from '../sentences/SentenceText.vue'
import { useCurrentSite } from '../sites/currentSite'
import DataTable from '../tables/DataTable.vue'
import type { Column } from '../tables/tableRows'
import type { GoalAnswer, GoalFigures, Overview } from './goalAnswer'

/** What a goal counted: the series, its figures, and the conversions behind them. */
const route = useRoute()
const router = useRouter()
const current = useCurrentSite()
const range = useRange()
const live = useLive()
const id = String(route.params.id)
const currency = computed(() => current.site?.currency ?? 'EUR')
const zone = computed(() => current.site?.timeZone ?? 'UTC')
const problem = ref('')

interface ConversionAnswer {
  at: string
  visitor: string
  value: number
  currency: string
  order: string | null
  path: string
  source: string
  medium: string
  campaign: string | null
  uid: string
}

const { data, error, reload } = useLoaded(
  async (signal) => {
    const [goal, overview, conversions] = await Promise.all([
      api<GoalAnswer>('GET', `${current.path}/goals/${id}`, undefined, signal),
      api<Overview>('GET', `${current.path}/overview?${range.query}&archived=with`, undefined, signal),
      api<ConversionAnswer[]>('GET', `${current.path}/goals/${id}/conversions?${range.query}`, undefined, signal),
    ])
    if (goal.recount.state === 'running') setTimeout(() => void reload(), 700)
    return { goal, overview, figures: overview.goals.find((each) => each.id === id) as GoalFigures, conversions: conversions.reverse() }
  },
  [() => range.query, () => live.changes],
  300,
)
const goal = computed(() => data.value?.goal)
const hasValue = computed(() => goal.value?.value.type !== 'none')
const unit = ref<SeriesUnit>('day')
const breakdown = ref<(typeof GOAL_BREAKDOWNS)[number]>('source')
const back = ref(0)
const { data: report, loading: reporting } = useLoaded(
  async (signal) => {
    const before = `from=${range.before.from}&to=${range.before.to}`
    const ask = (query: string): Promise<GoalReportResult> => api('GET', `${current.path}/goals/${id}/report?${query}&unit=${unit.value}`, undefined, signal)
    const [now, earlier] = await Promise.all([ask(range.query), ask(before)])
    return { now, earlier, unit: unit.value }
  },
  [() => range.query, unit, () => Math.floor(live.changes / 3), () => data.value?.goal.revision],
  200,
)
const { data: versions } = useLoaded<{ revision: number; changedAt: string; changedBy: string; goal: Goal }[]>((signal) =>
  api('GET', `${current.path}/goals/${id}/versions`, undefined, signal),
)
const spans = computed(() => report.value?.now.series.map((each) => each.key) ?? [])
const series = computed(() => [
  { name: 'visits of the site', area: true, values: report.value?.now.series.map((each) => each.visits) ?? [] },
  { name: 'conversions', values: report.value?.now.series.map((each) => each.conversions) ?? [] },
  { name: 'conversions before', values: report.value?.earlier.series.map((each) => each.conversions) ?? [] },
])
/** Days on which the definition changed: figures before are those of the new one too, but people remember the old. */
const changes = computed(() =>
  unit.value === 'day'
    ? (versions.value ?? []).slice(1).map((each) => ({ day: calendarOf(zone.value).dayOf(Date.parse(each.changedAt)), label: `definition ${each.revision}` }))
    : [],
)
const WEEKDAYS = ['', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
const keyWords = (key: unknown): string =>
  key === null
    ? 'not known'
    : breakdown.value === 'weekday'
      ? (WEEKDAYS[Number(key)] ?? '')
      : breakdown.value === 'hour'
        ? `${String(key).padStart(2, '0')}:00`
        : String(key)
const breakdownColumns = computed<Column[]>(() => [
  { key: 'key', name: DIMENSION_WORDS[breakdown.value], show: keyWords },
  { key: 'visits', name: 'Visits', number: true, show: (value) => count(value as number), title: 'Visits that began in these days' },
  { key: 'conversions', name: 'Conversions', number: true, show: (value) => count(value as number) },
  ...(hasValue.value ? [{ key: 'value', name: 'Value', number: true, show: (value: unknown) => money(value as number, currency.value) }] : []),
  { key: 'rate', name: 'Rate', number: true, show: (value) => rate(value as number | null), title: 'Visits with a conversion, of those visits' },
])
const pagesBefore = computed(() => report.value?.now.before[back.value] ?? [])

async function archive(archived: boolean): Promise<void> {
  try {
    await api('PUT', `${current.path}/goals/${id}:archive`, { archived })
    await reload()
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

const columns = computed<Column[]>(() => [
  { key: 'at', name: 'When', show: (value) => timeText(value as string, zone.value) },
  ...(hasValue.value
    ? [
        {
          key: 'value',
          name: 'Value',
          number: true,
          show: (value: unknown, row: Record<string, unknown>) => money(value as number, row.currency as string),
          title: 'As it came, in its own currency',
        },
      ]
    : []),
  { key: 'order', name: 'Order', mono: true },
  { key: 'path', name: 'Page', mono: true },
  { key: 'source', name: 'Source' },
  { key: 'medium', name: 'Medium' },
  { key: 'campaign', name: 'Campaign' },
  { key: 'visitor', name: 'Visitor', mono: true, show: (value) => String(value).slice(0, 8) },
])

async function remove(): Promise<void> {
  try {
    await api('DELETE', `${current.path}/goals/${id}`)
    void current.refreshProgress()
    await router.push({ name: 'goals', params: { key: current.key } })
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

async function asTrigger(): Promise<void> {
  sessionStorage.setItem(`acequia.unsaved.trigger.${current.key}.new`, JSON.stringify({ id: '', moment: { type: 'goal', goal: id }, where: { any: [] } }))
  await router.push({ name: 'trigger', params: { key: current.key, id: 'new' } })
}

useKeys({ e: () => void router.push({ name: 'edit-goal', params: { key: current.key, id } }) })
</script>

<template>
  <div class="screen">
    <p v-if="error || problem" class="problem" role="alert">{{ problem || error }}</p>
    <template v-if="data && goal">
      <div class="screen-head">
        <h1>{{ goal.name }}</h1>
        <button
          v-if="goal.kind.type === 'page' || goal.kind.type === 'event'"
          title="Tags can fire when it is reached; they follow when its rule changes"
          @click="asTrigger"
        >
          Use it as a trigger
        </button>
        <RouterLink class="button main-action" :to="{ name: 'edit-goal', params: { key: current.key, id } }">Edit <kbd>e</kbd></RouterLink>
      </div>
      <p class="sentence"><SentenceText :parts="goalSentence(goal, currency, locale)" /></p>
      <p v-if="goal.note" class="hint">{{ goal.note }}</p>
      <div v-if="goal.recount.state === 'running'" class="recount" role="status">
        <progress :value="goal.recount.done" :max="goal.recount.total" />
        Recounting over all history: {{ count(goal.recount.done) }} of {{ count(goal.recount.total) }} visitors. Until it is done, the figures are those of
        before.
      </div>

      <dl class="big">
        <div title="Conversions whose event was in the days in view">
          <dt>conversions</dt>
          <dd>{{ count(data.figures.conversions) }}</dd>
          <dd class="hint">
            {{ changeFrom(data.figures.before.conversions, data.figures.conversions) ?? 'no figure' }} against
            {{ count(data.figures.before.conversions) }} before
          </dd>
        </div>
        <div v-if="hasValue" title="Their values added up, in the site's currency">
          <dt>value</dt>
          <dd>{{ money(data.figures.value, currency) }}</dd>
          <dd class="hint">
            {{ changeFrom(data.figures.before.value, data.figures.value) ?? 'no figure' }} against {{ money(data.figures.before.value, currency) }} before
          </dd>
        </div>
        <div :title="`${count(data.figures.convertingVisits)} visits with a conversion, of ${count(data.overview.visits)} visits that began in these days`">
          <dt>of visits</dt>
          <dd>{{ rate(data.figures.rate) }}</dd>
          <dd class="hint">{{ count(data.figures.convertingVisits) }} of {{ count(data.overview.visits) }}; {{ rate(data.figures.before.rate) }} before</dd>
        </div>
      </dl>
      <p v-if="data.figures.unconverted" class="hint">
        Without a rate, and so not in the value:
        {{
          Object.entries(data.figures.unconverted)
            .map(([code, sum]) => `${sum} ${code}`)
            .join(', ')
        }}. Rates are entered under Site.
      </p>

      <p v-if="goal.archivedAt" class="hint">
        Archived: it goes on counting, but is not shown on Today. <button class="quiet" @click="archive(false)">Take it back</button>
      </p>
      <div class="units" role="group" aria-label="Length of the spans">
        <button v-for="each in SERIES_UNITS" :key="each" class="quiet" :aria-pressed="unit === each" @click="unit = each">by {{ each }}</button>
        <span v-if="reporting" class="hint">counting …</span>
      </div>
      <SeriesChart v-if="report" :days="spans" :series="series" :marks="changes" :unit="report.unit" :name="goal.name" />

      <section v-if="report" class="rows two">
        <div>
          <h2>
            By
            <select v-model="breakdown" aria-label="Tell apart by">
              <option v-for="each in GOAL_BREAKDOWNS" :key="each" :value="each">{{ DIMENSION_WORDS[each] }}</option>
            </select>
          </h2>
          <DataTable
            :columns="breakdownColumns"
            :rows="report.now.by[breakdown]"
            row-key="key"
            :name="`${goal.name} by ${DIMENSION_WORDS[breakdown]}`"
            :page-size="12"
          />
        </div>
        <div>
          <h2>
            <select v-model="back" aria-label="How far back">
              <option :value="0">The page right before</option>
              <option :value="1">Two pages before</option>
              <option :value="2">Three pages before</option>
            </select>
          </h2>
          <table class="figures">
            <tbody>
              <tr v-for="each in pagesBefore.slice(0, 8)" :key="String(each.path)">
                <td class="path">
                  <code v-if="each.path">{{ each.path }}</code><template v-else>the visit began later</template>
                </td>
                <td class="number">{{ count(each.count) }}</td>
              </tr>
            </tbody>
          </table>
          <h2 class="until">Visits until the conversion</h2>
          <table class="figures">
            <tbody>
              <tr v-for="each in report.now.visitsUntil.slice(0, 5)" :key="each.visits">
                <td>in visit {{ each.visits }}</td>
                <td class="number">{{ count(each.count) }}</td>
              </tr>
            </tbody>
          </table>
          <h2 class="until">From the first event ever to the conversion</h2>
          <table class="figures">
            <tbody>
              <tr v-for="each in report.now.timeUntil.filter((span) => span.count)" :key="each.upTo">
                <td>{{ each.upTo === 'longer' ? 'longer' : `up to ${each.upTo}` }}</td>
                <td class="number">{{ count(each.count) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>

      <section class="rows">
        <h2>The conversions behind it</h2>
        <DataTable :columns="columns" :rows="data.conversions" row-key="uid" :name="`Conversions of ${goal.name}`" :page-size="25">
          <template #cell-visitor="{ row }">
            <RouterLink
              class="mono"
              title="Everything this visitor did"
              :to="{ name: 'visitor', params: { key: current.key, visitor: String(row.visitor) } }"
              >{{ String(row.visitor).slice(0, 8) }}</RouterLink
            >
          </template>
        </DataTable>
      </section>

      <details v-if="versions && versions.length > 1" class="remove">
        <summary>Definitions it had: {{ versions.length }}</summary>
        <p class="hint">Every figure above is counted by the latest one, over all history.</p>
        <ol class="versions">
          <li v-for="each in [...versions].reverse()" :key="each.revision" :value="each.revision">
            {{ plainText(goalSentence(each.goal, currency, locale)) }}
            <span class="hint">{{ each.changedBy }} {{ timeText(each.changedAt, zone) }}</span>
          </li>
        </ol>
      </details>
      <details v-if="current.site?.role !== 'reader'" class="remove">
        <summary>Remove this goal</summary>
        <p class="hint">Its conversions are no longer counted. The events stay, so making the goal again brings all figures back.</p>
        <button v-if="!goal.archivedAt" @click="archive(true)">Archive it instead</button>
        <button class="danger" @click="remove">Remove “{{ goal.name }}”</button>
      </details>
    </template>
  </div>
</template>

<style scoped>
.sentence {
  font-size: 16px;
  line-height: 1.7;
  max-width: 76ch;
}
.recount {
  background: var(--ochre-run);
  border-radius: var(--radius);
  padding: 8px 12px;
  margin-bottom: 12px;
}
progress {
  accent-color: var(--water);
  margin-right: 8px;
}
.big {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 44px;
  margin: 18px 0;
}
dd {
  margin: 0;
  font: 600 30px/1.2 var(--display);
}
dd.hint {
  font: 400 12.5px/1.4 var(--font);
}
dt {
  color: var(--ink-2);
  font-size: 12.5px;
}
.units {
  display: flex;
  gap: 10px;
  justify-content: flex-end;
}
.units [aria-pressed='true'] {
  color: var(--water);
  font-weight: 700;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 40px;
}
.two select {
  padding: 3px 8px;
}
.until {
  margin-top: 16px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
.rows {
  margin-top: 26px;
}
.remove {
  margin-top: 30px;
  color: var(--ink-2);
}
summary {
  cursor: pointer;
}
</style>
